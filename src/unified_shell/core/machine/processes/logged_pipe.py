"""A pipe whose content goes into a log: as much as a person would ever read of it, and the end of it for a message."""

import os
import threading
from types import TracebackType
from typing import IO

__all__ = ["LoggedPipe"]

# A build that prints without end must not fill the disk.
LOG_LIMIT_BYTES = 20_000_000
LAST_BYTES = 200_000


class LoggedPipe:
    """While the block runs, what is written to `descriptor` is added to a file; `last` is the end of it.

    Beyond the limit nothing more is added, but read it is: a program that says much is not held up.
    """

    def __init__(self, log: IO[bytes]) -> None:
        self._log = log
        self._size = 0
        self._reader, self.descriptor = -1, -1
        self._thread = threading.Thread(target=self._copy, daemon=True)
        self.last = b""

    def __enter__(self) -> "LoggedPipe":
        self._reader, self.descriptor = os.pipe()
        self._thread.start()
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        os.close(self.descriptor)
        # What holds the other end still was ended by whoever started it.
        self._thread.join(timeout=5)

    def _copy(self) -> None:
        while content := os.read(self._reader, 1 << 16):
            self.last = (self.last + content)[-LAST_BYTES:]
            fits = max(min(len(content), LOG_LIMIT_BYTES - self._size), 0)
            self._log.write(content[:fits])
            if self._size <= LOG_LIMIT_BYTES < self._size + len(content):
                self._log.write(b"\n[more was said; it is left out]\n")
            self._size += len(content)
            self._log.flush()
        os.close(self._reader)
