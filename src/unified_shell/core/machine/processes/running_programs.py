"""The programs that run in this account, by a variable that they began with."""

import os
from collections.abc import Sequence
from typing import TYPE_CHECKING

from msgspec import Struct

from unified_shell.core.machine.account import own_user
from unified_shell.core.machine.places import inside
from unified_shell.core.machine.session import SHELLS

if TYPE_CHECKING:
    import psutil

__all__ = ["RunningProgram", "programs_begun_with", "programs_using"]


class RunningProgram(Struct, frozen=True, kw_only=True):
    """A running program with the value that a variable had when it began, or the name of the folder that it uses."""

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


def programs_using(
    folders: Sequence[str], *, started_from: str = "", before: float = 0.0
) -> tuple[RunningProgram, ...]:
    """Return this account's programs that have a file below one of these folders loaded or open, with the folder's name;
    also those that were started by a name below `started_from`, `before` that time (seconds since 1970).

    What a program has read and closed again is not seen, so that only the time tells of scripts.
    """
    import psutil

    places = {os.path.realpath(folder): os.path.basename(folder) for folder in folders}
    found = []
    for process in psutil.process_iter():
        try:
            if process.pid == os.getpid() or (psutil.POSIX and process.uids().effective != own_user()):
                continue
            began_by_name = bool(started_from) and any(inside(one, started_from) for one in process.cmdline()[:2])
            used = next((name for place, name in places.items() if _uses(process, place)), None)
            if used is None and not (began_by_name and process.create_time() < before):
                continue
            found.append(RunningProgram(process_id=process.pid, name=process.name(), value=used or ""))
        except (psutil.Error, OSError):
            continue
    return tuple(found)


def _uses(process: "psutil.Process", place: str) -> bool:
    files = {process.exe(), process.cwd(), *(one.path for one in process.open_files())}
    if hasattr(process, "memory_maps"):
        files |= {one.path for one in process.memory_maps()}
    return any(inside(file, place) for file in files if file)
