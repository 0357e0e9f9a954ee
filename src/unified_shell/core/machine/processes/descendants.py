"""All that a program started, found again by a mark in its variables: also what went into a session of its own.

A startup file may start a terminal multiplexer, a build a daemon; both leave the group and the session that they were
started in, and nothing but what they were started with tells whose they are.
"""

import contextlib
import functools
import os
import uuid
from collections.abc import Callable, Mapping

from .ending import KILL, session_of

__all__ = ["MARK", "end_marked", "end_session", "ending_with_us", "marked"]

MARK = "_USH_STARTED"
PROC = "/proc"
# prctl(2).
PR_SET_PDEATHSIG = 1


def marked(environment: Mapping[str, str]) -> tuple[dict[str, str], str]:
    """Return variables with a new mark among them, and the mark.

    It begins with the number of the newest process: what has the mark is newer, unless the numbers began anew.
    """
    mark = f"{_newest_process()}-{uuid.uuid4().hex}"
    return {**environment, MARK: mark}, mark


def end_session(number: int) -> None:
    """Kill every process of a session, which has the number of the process that began it."""
    for name in os.listdir("/proc") if os.path.isdir("/proc") else (str(number),):
        if name.isdigit():
            with contextlib.suppress(ProcessLookupError, PermissionError):
                if session_of(int(name)) == number:
                    os.kill(int(name), KILL)


def end_marked(mark: str) -> None:
    """Kill every process that began with a mark, again until none is left: one may start another meanwhile."""
    for _ in range(5):
        found = _with(mark)
        for number in found:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.kill(number, KILL)
        if not found:
            return


@functools.cache
def ending_with_us() -> Callable[[], None] | None:
    """Return what a child that was just forked calls to be killed when the thread that forked it ends; None where there
    is no such thing (prctl(2), of Linux).
    """
    try:
        import ctypes

        set_option = ctypes.CDLL(None).prctl
    except (ImportError, OSError, AttributeError, TypeError):
        return None
    return lambda: set_option(PR_SET_PDEATHSIG, KILL)


def _newest_process() -> int:
    """Return the number that a process was given last; 0 where the system does not tell (proc(5), `loadavg`)."""
    try:
        with open(f"{PROC}/loadavg", encoding="ascii") as file:
            return int(file.read().split()[-1])
    except (OSError, ValueError, IndexError):
        return 0


def _with(mark: str) -> list[int]:
    found = []
    try:
        names = os.listdir(PROC)
    except OSError:
        return _asked_for(mark)
    wanted, oldest = f"{MARK}={mark}".encode("ascii"), int(mark.partition("-")[0])
    if _newest_process() < oldest:
        oldest = 0
    for name in names:
        if not name.isdigit() or int(name) <= oldest or int(name) == os.getpid():
            continue
        # Somebody else's cannot be read, nor one that has just ended.
        with contextlib.suppress(OSError), open(f"{PROC}/{name}/environ", "rb") as file:
            content = file.read()
            if wanted in content and wanted in content.split(b"\0"):
                found.append(int(name))
    return found


def _asked_for(mark: str) -> list[int]:
    """Return the processes with a mark where the system shows none of them in files; others' cannot be asked."""
    import psutil

    found = []
    for one in psutil.process_iter():
        with contextlib.suppress(psutil.Error):
            if one.pid != os.getpid() and one.environ().get(MARK) == mark:
                found.append(one.pid)
    return found
