"""Doing several things at once: a bounded pool behind one function."""

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

__all__ = ["map_ahead", "map_at_once"]

Given = TypeVar("Given")
Answer = TypeVar("Answer")


def map_at_once(work: Callable[[Given], Answer], items: Iterable[Given], *, workers: int = 8) -> list[Answer]:
    """Return the answers in the order of the items; the first error is raised."""
    todo = list(items)
    if len(todo) < 2:
        return [work(item) for item in todo]
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(max_workers=min(workers, len(todo))) as pool:
        return list(pool.map(work, todo))


def map_ahead(
    work: Callable[[Given], Answer], items: Iterable[Given], *, workers: int
) -> Iterator[tuple[Given, Answer]]:
    """Yield each item with its answer, in their order, while the next ones are worked on; the first error is raised."""
    todo = list(items)
    if len(todo) < 2:
        yield from ((item, work(item)) for item in todo)
        return
    from concurrent.futures import ThreadPoolExecutor

    pool = ThreadPoolExecutor(max_workers=min(workers, len(todo)))
    try:
        yield from zip(todo, pool.map(work, todo), strict=True)
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
