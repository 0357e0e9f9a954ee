"""Every candidate for a command: in path order, then elsewhere on the machine, in bounded time."""

import os
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.errors import nearest
from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.common_dirs import usual_folders
from unified_shell.core.machine.files.folder_walks import SYSTEM_TREES, folders_within
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.system_packages import install_library_line
from unified_shell.core.machine.programs.executables import is_executable_file, is_program_without_bit
from unified_shell.core.machine.programs.program_names import program_names
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.wiring.wiring import Wiring

from .judging import judge_file
from .states import State

__all__ = ["Candidate", "NameReport", "look_for_command"]

# Looking off the path is a courtesy: a slow volume must not hold up the answer.
SEARCH_SECONDS = 1.5
AskFile = Callable[[str], tuple[str, str]]


class Candidate(Struct, frozen=True, kw_only=True):
    """One file that could answer. `position` is its place on PATH, 0 where it is on none.

    `why` says what is wrong with it, or where its folder belongs; `version` is what it says of itself, as far as it was
    asked; `library` is one that it needs and that is not on this machine.
    """

    path: Place
    position: int
    state: State
    kind: str
    leads_to: Place
    why: str = ""
    version: str = ""
    library: str = ""


class NameReport(Struct, frozen=True, kw_only=True):
    """What is known of a name in this session. `not_searched` are trees left out or broken off."""

    name: str
    state: State
    candidates: tuple[Candidate, ...]
    searched: tuple[Place, ...]
    not_searched: tuple[Place, ...]
    nearest_name: str
    remedy: NextStep


def _ask_nothing(_path: str) -> tuple[str, str]:
    return "", ""


class _Looking(Struct, frozen=True):
    """What the whole search goes by."""

    name: str
    host: Host
    entries: tuple[str, ...]
    ask: AskFile


def look_for_command(
    name: str, host: Host, managed: Mapping[str, str], wiring: Wiring, *, ask: AskFile = _ask_nothing
) -> NameReport:
    """Look for a command by its exact name.

    `managed` are folders of commands that belong to something `ush` knows of, with what that is, such as
    `environment hive`. `ask` is given a file that can be started by all that is seen of it, and returns its version and
    what is wrong with it, each empty where that is not known.
    """
    entries = [entry if os.path.isabs(entry) else _absolute(entry, host) for entry in host.search_path()]
    wired = {str(one.directory): "the wiring" for one in wiring.entries if one.variable == "PATH"}
    places = {**managed, **wired}
    looking = _Looking(name, host, tuple(entries), ask)
    on_path = _on_path(looking)
    elsewhere, searched, left = _elsewhere(looking, places)
    candidates = (*on_path, *elsewhere)
    state = _summary(candidates, wired)
    near = _nearest(name, entries, places) if state is State.ABSENT else ""
    return NameReport(
        name=name,
        state=state,
        candidates=candidates,
        searched=searched,
        not_searched=left,
        nearest_name=near,
        remedy=ush("look", near) if near else _remedy(name, state, candidates, places, host),
    )


def _on_path(looking: _Looking) -> list[Candidate]:
    found: list[Candidate] = []
    seen: set[str] = set()
    name, entries, host = looking.name, looking.entries, looking.host
    for position, folder in enumerate(entries, 1):
        # One directory is often reached by two names, such as /bin and /usr/bin.
        if os.path.realpath(folder) in seen:
            continue
        seen.add(os.path.realpath(folder))
        for path in (join(folder, file) for file in program_names(name, host)):
            # A shell passes over what it may not execute, and goes on looking.
            if not os.path.lexists(path) or os.path.isdir(path):
                continue
            # Whether it then starts or not, the first that may be executed is the one that is started.
            answered = any(is_executable_file(one.path) for one in found)
            found.append(_candidate(path, position, looking, first=not answered))
    return found


def _candidate(path: Place, position: int, looking: "_Looking", *, first: bool) -> Candidate:
    host = looking.host
    real = Place(os.path.realpath(path))
    judged = judge_file(path, host, entries=looking.entries, library_path=host.search_path("LD_LIBRARY_PATH"))
    state, why, version = judged.state, judged.why, ""
    if state is State.READY:
        version, trouble = looking.ask(path)
        if trouble:
            state, why = State.BROKEN, trouble
        elif not position:
            state = State.HIDDEN
        elif not first:
            state = State.SHADOWED
    return Candidate(
        path=path,
        position=position,
        state=state,
        kind=judged.kind.value,
        leads_to=real,
        why=why,
        version=version,
        library=judged.library,
    )


def _elsewhere(
    looking: _Looking, places: Mapping[str, str]
) -> tuple[list[Candidate], tuple[Place, ...], tuple[Place, ...]]:
    deadline, host = steady_seconds() + SEARCH_SECONDS, looking.host
    seen = {os.path.realpath(entry) for entry in looking.entries}
    found: list[tuple[Place, str]] = []
    for folder in (*places, *usual_folders(host)):
        found += _look_in(folder, looking.name, places.get(str(folder), ""), seen)
    searched: list[Place] = []
    left: list[Place] = []
    for tree in (*SYSTEM_TREES, host.home):
        if not os.path.isdir(tree):
            continue
        whole = True
        for below in folders_within(tree, deadline):
            if below is None:
                whole = False
            else:
                found += _look_in(below, looking.name, "", seen)
        (searched if whole else left).append(Place(tree))
    # Judged when all is found: asking an interpreter takes of the time for searching otherwise.
    judged = [(_candidate(path, 0, looking, first=True), owner) for path, owner in found]
    told = [replace(one, why=one.why or (f"in {owner}" if owner else "")) for one, owner in judged]
    return told, tuple(searched), tuple(left)


def _look_in(folder: str, name: str, owner: str, seen: set[str]) -> list[tuple[Place, str]]:
    """Return the file of that name in a folder that is on no path; `seen` are real folders that were looked in."""
    # Most folders have none of that name, and there are thousands; only for the others it matters where they really are.
    path = f"{folder}/{name}"
    if not os.path.lexists(path) or os.path.realpath(folder) in seen:
        return []
    seen.add(os.path.realpath(folder))
    # Away from the path, a text of that name that nobody may execute is no command; a program without the bit is one.
    if os.path.isdir(path) or not (is_executable_file(path) or os.path.islink(path) or is_program_without_bit(path)):
        return []
    return [(join(folder, name), owner)]


def _summary(candidates: Sequence[Candidate], wired: Mapping[str, str]) -> State:
    reachable = [one for one in candidates if one.position]
    if any(one.state is State.READY for one in reachable):
        return State.READY
    if reachable:
        # What may be executed is started, the first of them; what may not is passed over.
        return next((one for one in reachable if is_executable_file(one.path)), reachable[0]).state
    if any(os.path.dirname(one.path) in wired and one.state is State.HIDDEN for one in candidates):
        return State.STALE
    return State.HIDDEN if candidates else State.ABSENT


def _remedy(
    name: str, state: State, candidates: Sequence[Candidate], places: Mapping[str, str], host: Host
) -> NextStep:
    if state is State.STALE:
        return "open a new session; new ones find it"
    usable = next((one for one in candidates if one.state is State.HIDDEN), None)
    if state is State.HIDDEN and usable is not None:
        folder = os.path.dirname(usable.path)
        owner = places.get(folder, "")
        if owner.startswith("environment "):
            environment = owner.removeprefix("environment ")
            return (
                ush("environment", "run", environment, "--", name),
                "or",
                ush("environment", "enter", environment),
            )
        return ush("path", "add", folder)
    if state in (State.BROKEN, State.MISMATCHED) and usable is not None:
        return ush("path", "add", os.path.dirname(usable.path), why="another one is there")
    lacking = next((one.library for one in candidates if one.position and one.library), "")
    return install_library_line(lacking, host) if state is State.BROKEN and lacking else ""


def _nearest(name: str, entries: Sequence[str], places: Mapping[str, str]) -> str:
    names: set[str] = set()
    for folder in (*entries, *places):
        try:
            names.update(os.listdir(folder))
        except OSError:
            continue
    # A short name is like very many; one letter in four may differ.
    return nearest(name, names, likeness=0.8)


def _absolute(entry: str, host: Host) -> str:
    # An empty entry means the current directory.
    return join(host.working_directory, entry) if entry else host.working_directory
