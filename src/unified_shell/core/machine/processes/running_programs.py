"""The programs that run in this account, by a variable that they began with."""

import os
from collections.abc import Sequence
from typing import TYPE_CHECKING

from msgspec import Struct

from unified_shell.core.machine.account import own_user
from unified_shell.core.machine.places import Place, inside
from unified_shell.core.machine.session import SHELLS

if TYPE_CHECKING:
    import psutil

__all__ = ["OldState", "RunningProgram", "programs_begun_with", "programs_using"]


class RunningProgram(Struct, frozen=True, kw_only=True):
    """A running program with the value that a variable had when it began, or the name of what it uses."""

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


class OldState(Struct, frozen=True, kw_only=True):
    """What was replaced: the name by which it is known, the folders that it was in, and the place below which programs are
    started from it, which `since` then (seconds since 1970) leads to what came after.
    """

    name: str
    folders: tuple[Place, ...]
    started_from: Place
    since: float


def programs_using(states: Sequence[OldState]) -> tuple[RunningProgram, ...]:
    """Return this account's programs that use what was replaced, each with the name of that: a file of it is loaded or
    open, or the program was started from there before.

    What a program has read and closed again is not seen, so that only the time tells of scripts.
    """
    if not states:
        return ()
    import psutil

    found = []
    for process in psutil.process_iter():
        try:
            if process.pid == os.getpid() or (psutil.POSIX and process.uids().effective != own_user()):
                continue
            words, files = process.cmdline()[:2], _files(process)
            for one in states:
                started = any(inside(word, one.started_from) for word in words)
                loaded = any(inside(file, folder) for file in files for folder in one.folders)
                if loaded or (started and process.create_time() < one.since):
                    name = process.name()
                    found.append(RunningProgram(process_id=process.pid, name=name, value=one.name))
                    break
        except (psutil.Error, OSError):
            continue
    return tuple(found)


def _files(process: "psutil.Process") -> set[str]:
    """Return the files that a program has loaded or open, its working directory too."""
    files = {process.exe(), process.cwd(), *(one.path for one in process.open_files())}
    maps = f"/proc/{process.pid}/maps"
    if os.path.exists(maps):
        # The library reads `smaps`, for which the system counts the pages of each file: a hundred times the work.
        with open(maps, "rb") as file:
            rows = [line.split(None, 5) for line in file]
        files |= {os.fsdecode(row[5].rstrip(b"\n")) for row in rows if len(row) == 6}
    elif hasattr(process, "memory_maps"):
        files |= {one.path for one in process.memory_maps()}
    return {one for one in files if one}
