"""How a process and all that it started is ended, as far as the system has a word for it."""

import contextlib
import os
import signal

__all__ = ["KILL", "end_group", "session_of"]

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
