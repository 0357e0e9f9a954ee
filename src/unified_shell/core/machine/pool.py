"""Doing several things at once: a bounded pool behind one function."""

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from .interrupts import is_interrupted

__all__ = ["map_ahead", "map_at_once"]

Given = TypeVar("Given")
Answer = TypeVar("Answer")
# What a thread waits for asks for interrupts more often; only looking up a name, or connecting, does not.
INTERRUPTED_WAIT_SECONDS = 0.6


def map_at_once(work: Callable[[Given], Answer], items: Iterable[Given], *, workers: int = 8) -> list[Answer]:
    """Return the answers in the order of the items; the first error is raised."""
    return [answer for _, answer in map_ahead(work, items, workers=workers)]


def map_ahead(
    work: Callable[[Given], Answer], items: Iterable[Given], *, workers: int
) -> Iterator[tuple[Given, Answer]]:
    """Yield each item with its answer, in their order, while the next ones are worked on; the first error is raised.

    After an error the work under way is waited for; after an interrupt not long: it must not hold up a person.
    """
    todo = list(items)
    if len(todo) < 2:
        yield from ((item, work(item)) for item in todo)
        return
    from concurrent.futures import ThreadPoolExecutor, wait

    pool = ThreadPoolExecutor(max_workers=min(workers, len(todo)))
    begun = [pool.submit(work, item) for item in todo]
    try:
        for item, future in zip(todo, begun, strict=True):
            yield item, future.result()
    except KeyboardInterrupt:
        pool.shutdown(wait=False, cancel_futures=True)
        wait(begun, timeout=INTERRUPTED_WAIT_SECONDS)
        raise
    finally:
        pool.shutdown(wait=not is_interrupted(), cancel_futures=True)
