"""One lock for each scope, held while a change is visible in the making: switch, verify, keep."""

import contextlib
import os
from collections.abc import Callable, Iterator

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.places import join

__all__ = ["scope_lock"]

# Long enough for another change to be carried through and checked; who waits is told for whom.
WAIT_SECONDS = 600.0


@contextlib.contextmanager
def scope_lock(data: str, scope: str, *, words: str, on_wait: Callable[[str], None]) -> Iterator[None]:
    """Hold the scope's lock; where another holds it, say for whom we wait, once, and wait.

    Raises CouldNot after ten minutes. The lock's descriptor is not inherited by child processes.
    """
    from filelock import FileLock, Timeout

    folder = join(data, "locks")
    holder = join(folder, f"{scope}.holder")
    try:
        os.makedirs(folder, exist_ok=True)
        lock = FileLock(join(folder, f"{scope}.lock"))
        try:
            lock.acquire(timeout=0)
        except Timeout:
            on_wait(_read(holder))
            lock.acquire(timeout=WAIT_SECONDS)
        try:
            _write(holder, f"{words} (process {os.getpid()})")
            yield
        finally:
            with contextlib.suppress(OSError):
                os.unlink(holder)
            lock.release()
    except Timeout as error:
        raise CouldNot(
            f"another change is still running: {_read(holder)}", next_step="wait for it, or end it"
        ) from error


def _read(path: str) -> str:
    with contextlib.suppress(OSError), open(path, encoding="utf-8", errors="replace") as file:
        return file.read()
    return "another ush command"


def _write(path: str, text: str) -> None:
    with contextlib.suppress(OSError), open(path, "w", encoding="utf-8", errors="replace") as file:
        file.write(text)
