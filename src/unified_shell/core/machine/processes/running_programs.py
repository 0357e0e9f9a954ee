"""The programs that run in this account, by a variable that they began with."""

import os

from msgspec import Struct

from unified_shell.core.machine.account import own_user
from unified_shell.core.machine.session import SHELLS

__all__ = ["RunningProgram", "programs_begun_with"]


class RunningProgram(Struct, frozen=True, kw_only=True):
    """A running program with the value that a variable had when it began."""

    process_id: int
    name: str
    value: str


def programs_begun_with(variable: str) -> tuple[RunningProgram, ...]:
    """Return this account's programs that began with a variable set; shells, which set it anew, do not count."""
    import psutil

    own = {os.getpid(), os.getppid()}
    found = []
    for process in psutil.process_iter():
        try:
            name = process.name()
            if process.pid in own or name in SHELLS or (psutil.POSIX and process.uids().effective != own_user()):
                continue
            value = process.environ().get(variable)
        except (psutil.Error, OSError):
            continue
        if value is not None:
            found.append(RunningProgram(process_id=process.pid, name=name, value=value))
    return tuple(found)
