"""How a process and all that it started is ended, as far as the system has a word for it."""

import contextlib
import os
import select
import signal
from collections.abc import Callable, Iterator

__all__ = ["KILL", "end_group", "session_of", "waiting_for_end"]

# The signal that cannot be refused; where there is none, being ended is never refused.
KILL = getattr(signal, "SIGKILL", signal.SIGTERM)


def end_group(number: int, how: int = KILL) -> None:
    """End the group that a process leads; where there are no groups, the process and its children."""
    if hasattr(os, "killpg"):
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(number, how)
        return
    import psutil

    # Of one that has ended, the children are nobody's any more.
    with contextlib.suppress(psutil.Error):
        for program in (*psutil.Process(number).children(recursive=True), psutil.Process(number)):
            program.kill()


def session_of(number: int) -> int:
    """Return the number of a process' session; its own where there are no sessions."""
    return os.getsid(number) if hasattr(os, "getsid") else number


@contextlib.contextmanager
def waiting_for_end(number: int) -> Iterator[Callable[[float], float]]:
    """Yield what waits so many seconds for a child to end, and returns how many are left to wait in another way.

    It is woken by the end where the system has a handle for that (pidfd_open(2), of Linux): to ask again and again, as is done
    elsewhere, sees the end of a short program a third later.
    """
    try:
        handle = os.pidfd_open(number)
    except (AttributeError, OSError):
        yield lambda seconds: seconds
        return

    def wait(seconds: float) -> float:
        waiting.poll(seconds * 1000)
        return 0.0

    try:
        waiting = select.poll()
        waiting.register(handle, select.POLLIN)
        yield wait
    finally:
        os.close(handle)
