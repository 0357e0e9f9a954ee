"""Doing several things at once: a bounded pool behind one function."""

import contextlib
import threading
from collections.abc import Callable, Iterable, Iterator
from types import TracebackType
from typing import TYPE_CHECKING, Generic, TypeVar

from unified_shell.core.machine.interrupts import is_interrupted

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

__all__ = ["Ahead", "map_ahead", "map_as_done", "map_at_once"]

Key = TypeVar("Key")
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
    begun: list[Future[Answer]] = []
    with _pool(min(workers, len(todo)), begun) as pool:
        begun += [pool.submit(work, item) for item in todo]
        for item, future in zip(todo, begun, strict=True):
            yield item, future.result()


def map_as_done(
    work: Callable[[Given], Answer], items: Iterable[Given], *, workers: int
) -> Iterator[tuple[Given, Answer]]:
    """Yield each item with its answer as soon as that is there; the first error is raised, as `map_ahead` does."""
    todo = list(items)
    if len(todo) < 2:
        yield from ((item, work(item)) for item in todo)
        return
    from concurrent.futures import as_completed

    begun: list[Future[Answer]] = []
    with _pool(min(workers, len(todo)), begun) as pool:
        items_of = {pool.submit(work, item): item for item in todo}
        begun += items_of
        for future in as_completed(items_of):
            yield items_of[future], future.result()


class Ahead(Generic[Key, Answer]):
    """Work that is begun before its answer is asked for; each piece, by its key, is done once.

    Pieces may begin others, and never wait for one: only whoever opened this does. Leaving the block ends it.
    """

    def __init__(self, workers: int) -> None:
        self._workers = workers
        self._begun: dict[Key, Future[Answer]] = {}
        self._lock = threading.Lock()
        self._stack = contextlib.ExitStack()
        self._pool: ThreadPoolExecutor | None = None
        self._is_over = False

    def __enter__(self) -> "Ahead[Key, Answer]":
        self._pool = self._stack.enter_context(_pool(self._workers, self._begun.values()))
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        with self._lock:
            self._is_over = True
        self._stack.__exit__(kind, error, trace)

    def begin(self, key: Key, work: Callable[[], Answer]) -> None:
        """Begin a piece of work, unless it was begun."""
        with self._lock:
            if key not in self._begun and not self._is_over and self._pool is not None:
                self._begun[key] = self._pool.submit(work)

    def answer(self, key: Key, work: Callable[[], Answer]) -> Answer:
        """Return the answer of a piece of work, begun now or before; its error is raised."""
        self.begin(key, work)
        return self._begun[key].result()

    def answer_here(self, key: Key, work: Callable[[], Answer]) -> Answer:
        """Return the answer of a piece of work that is done in this thread, where an interrupt ends it at once."""
        if key not in self._begun:
            from concurrent.futures import Future

            done: Future[Answer] = Future()
            done.set_result(work())
            self._begun[key] = done
        return self._begun[key].result()

    def known(self, key: Key) -> Answer | None:
        """Return an answer that is there already and no error; None else."""
        future = self._begun.get(key)
        return future.result() if future is not None and future.done() and future.exception() is None else None


@contextlib.contextmanager
def _pool(workers: int, begun: "Iterable[Future[Answer]]") -> "Iterator[ThreadPoolExecutor]":
    """Yield a pool of threads; of what was begun, what waits is dropped at the end, and what is under way waited for,
    after an interrupt not long: it must not hold up a person.
    """
    from concurrent.futures import ThreadPoolExecutor, wait

    pool = ThreadPoolExecutor(max_workers=workers)
    try:
        yield pool
    except KeyboardInterrupt:
        pool.shutdown(wait=False, cancel_futures=True)
        wait(list(begun), timeout=INTERRUPTED_WAIT_SECONDS)
        raise
    finally:
        pool.shutdown(wait=not is_interrupted(), cancel_futures=True)
