"""The file that a download grows in: kept where it broke off, and written by one process at a time."""

import contextlib
import os
import typing
from collections.abc import Iterator

from unified_shell.core.machine.files.open_flags import NO_FOLLOW

__all__ = ["held_part"]


@contextlib.contextmanager
def held_part(target: str, *, goes_on: bool) -> Iterator[typing.IO[bytes]]:
    """Open the part of a download for reading and writing, with what an earlier try left in it where it `goes_on`.

    Where somebody else has it, one of our own is begun beside it; the `name` of what is yielded says which.
    """
    from filelock import FileLock, Timeout

    part, lock = f"{target}.part", FileLock(f"{target}.part.lock")
    try:
        lock.acquire(timeout=0)
    except (Timeout, NotImplementedError, OSError):
        part, goes_on = f"{target}.{os.urandom(4).hex()}.part", False
    flags = os.O_RDWR | os.O_CREAT | NO_FOLLOW | (0 if goes_on else os.O_TRUNC)
    try:
        with open(part, "r+b", opener=lambda path, _flags: os.open(path, flags, 0o666)) as file:
            yield file
    finally:
        if lock.is_locked:
            with contextlib.suppress(OSError):
                os.unlink(lock.lock_file)
            lock.release()
