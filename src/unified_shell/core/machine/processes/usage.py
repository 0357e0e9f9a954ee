"""What a running program takes: how many processes and threads were seen at once, and the memory of all of them."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from types import TracebackType

    import psutil

__all__ = ["UsageSampler"]

# Short trials end within a second; a look at a few processes takes about a millisecond.
SAMPLE_SECONDS = 0.05


class UsageSampler:
    """While the block runs, looks at a process and all that it started, and keeps the most of each that was seen."""

    def __init__(self, pid: int) -> None:
        self._pid = pid
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)
        self.most_processes = 0
        self.most_threads = 0
        self.most_memory_bytes = 0

    def __enter__(self) -> UsageSampler:
        self._thread.start()
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        self._done.set()
        self._thread.join(timeout=5)

    def _watch(self) -> None:
        import psutil

        while not self._done.wait(SAMPLE_SECONDS if self.most_processes else 0.005):
            try:
                first = psutil.Process(self._pid)
                family = [first, *first.children(recursive=True)]
            except psutil.Error:
                continue
            self._look(family)

    def _look(self, family: list[psutil.Process]) -> None:
        import psutil

        count, threads, memory = 0, 0, 0
        for process in family:
            try:
                with process.oneshot():
                    if process.status() == psutil.STATUS_ZOMBIE:
                        continue
                    threads += process.num_threads()
                    memory += process.memory_info().rss
            except psutil.Error:
                continue
            count += 1
        self.most_processes = max(self.most_processes, count)
        self.most_threads = max(self.most_threads, threads)
        self.most_memory_bytes = max(self.most_memory_bytes, memory)
