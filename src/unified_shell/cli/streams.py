"""The standard streams, made to last: whatever becomes of who reads them, a command goes on to its end.

A reader that leaves early (`| head -1`), a closed stream (`>&-`) or a full disk behind one is no reason to break off in
the middle of a change, nor a fault of the change.
"""

import errno
import io
import os
import sys
from typing import TextIO

from unified_shell.views.terminal.plain_text import ENCODING_ERRORS

__all__ = ["prepare_streams", "trouble_of_output"]


class _Lasting(io.RawIOBase):
    """Writes to a descriptor until that fails; what comes after is dropped, and `trouble` says why."""

    def __init__(self, descriptor: int, old: TextIO | None) -> None:
        self._descriptor = descriptor
        # Let go of, it would close the descriptor.
        self._old = old
        self.trouble: OSError | None = None

    def writable(self) -> bool:
        return True

    def fileno(self) -> int:
        return self._descriptor

    def isatty(self) -> bool:
        return os.isatty(self._descriptor)

    def write(self, content: object) -> int:
        data = memoryview(content).cast("B")  # type: ignore[arg-type]
        if self.trouble is None:
            try:
                return os.write(self._descriptor, data)
            except OSError as error:
                self.trouble = error
        return len(data)


_lasting: list[_Lasting] = []


def prepare_streams() -> None:
    """Give this process three standard streams that are there, bear every text, and last."""
    # A file that is opened must not become the standard output of this process and of those that it starts.
    for descriptor in range(3):
        try:
            os.fstat(descriptor)
        except OSError:
            os.dup2(os.open(os.devnull, os.O_RDWR), descriptor)
            os.set_inheritable(descriptor, True)  # noqa: FBT003 - the call has no keyword
    if sys.stdin is None:
        sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115 - for the whole life of the process
    sys.stdout, sys.stderr = _stream(sys.stdout, 1), _stream(sys.stderr, 2)


def trouble_of_output() -> str:
    """Say why what was written to the standard output did not arrive; empty where it did, or its reader just left."""
    sys.stdout.flush()
    error = _lasting[0].trouble if _lasting else None
    return (error.strerror or str(error)).lower() if error is not None and error.errno != errno.EPIPE else ""


def _stream(old: TextIO | None, descriptor: int) -> TextIO:
    raw = _Lasting(descriptor, old)
    _lasting.append(raw)
    return io.TextIOWrapper(
        io.BufferedWriter(raw),
        encoding=old.encoding if old is not None else "utf-8",
        errors=ENCODING_ERRORS,
        line_buffering=raw.isatty() or descriptor == 2,
    )
