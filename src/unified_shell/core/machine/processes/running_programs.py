"""The programs that run in this account, by a variable that they began with."""

import contextlib
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

    folders = {folder for one in states for folder in one.folders}
    found = []
    for process in psutil.process_iter():
        try:
            if process.pid == os.getpid() or (psutil.POSIX and process.uids().effective != own_user()):
                continue
            words, used = process.cmdline()[:2], _used(process, folders)
            for one in states:
                started = any(inside(word, one.started_from) for word in words)
                if not used.isdisjoint(one.folders) or (started and process.create_time() < one.since):
                    name = process.name()
                    found.append(RunningProgram(process_id=process.pid, name=name, value=one.name))
                    break
        except (psutil.Error, OSError):
            continue
    return tuple(found)


def _used(process: "psutil.Process", folders: set[Place]) -> set[Place]:
    """Return the folders of which a program has files loaded or open, or in which it works."""
    files, loaded = _links_of(f"/proc/{process.pid}"), b""
    if files:
        # The library reads `smaps`, for which the system counts the pages of each file: a hundred times the work.
        with open(f"/proc/{process.pid}/maps", "rb") as maps:
            loaded = maps.read()
    else:
        files = {process.exe(), process.cwd(), *(one.path for one in process.open_files())}
        if hasattr(process, "memory_maps"):
            files |= {one.path for one in process.memory_maps()}
    return {
        folder
        for folder in folders
        if os.fsencode(f" {folder}/") in loaded or any(inside(file, folder) for file in files if file)
    }


def _links_of(top: str) -> set[str]:
    """Return where the links of a process lead in the system's own files about it: its program, its working directory and what
    it has open; nothing where the system has no such files.
    """
    links = [f"{top}/exe", f"{top}/cwd"]
    found = set()
    with contextlib.suppress(OSError):
        links += [f"{top}/fd/{name}" for name in os.listdir(f"{top}/fd")]
    for link in links:
        with contextlib.suppress(OSError):
            found.add(os.readlink(link))
    return found
