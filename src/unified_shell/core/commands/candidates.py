"""Every candidate for a command: in path order, then elsewhere on the machine, in bounded time."""

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from unified_shell.core.errors import nearest
from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.executables import Executable, FileKind, is_executable_file, read_executable
from unified_shell.core.machine.host import Host, System
from unified_shell.core.machine.places import Place, join, typed
from unified_shell.core.machine.usual_places import usual_folders
from unified_shell.core.shells.wiring import Wiring

from .program_names import program_names
from .states import State

__all__ = ["Candidate", "NameReport", "look_for_command"]

SEARCH_SECONDS = 1.5
PROGRAMS = (FileKind.ELF, FileKind.MACH_O, FileKind.PE)
MAX_DEPTH = 4
SKIPPED = frozenset({"node_modules", "__pycache__", "site-packages", "proc", "sys", "dev", "Trash"})
SYSTEM_TREES = ("/usr/local", "/opt", "/usr/games", "/usr/sbin", "/sbin", "/snap/bin", "/usr/lib/jvm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """One file that could answer. `position` is its place on PATH, 0 where it is on none.

    `why` says what is wrong with it, or where its folder belongs.
    """

    path: Place
    position: int
    state: State
    kind: str
    leads_to: Place
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class NameReport:
    """What is known of a name in this session. `not_searched` are trees left out or broken off."""

    name: str
    state: State
    candidates: tuple[Candidate, ...]
    searched: tuple[Place, ...]
    not_searched: tuple[Place, ...]
    nearest_name: str
    remedy: str


def look_for_command(name: str, host: Host, managed: Mapping[str, str], wiring: Wiring) -> NameReport:
    """Look for a command by its exact name.

    `managed` are folders of commands that belong to something `ush` knows of, with what that is, such as
    `environment hive`.
    """
    entries = [entry if entry.startswith("/") else _absolute(entry, host) for entry in host.search_path()]
    wired = {str(one.directory): "the wiring" for one in wiring.entries if one.variable == "PATH"}
    places = {**managed, **wired}
    on_path = _on_path(name, entries, host)
    elsewhere, searched, left = _elsewhere(name, entries, places, host)
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
        remedy=f"ush look {typed(near)}" if near else _remedy(name, state, candidates, places, host),
    )


def _on_path(name: str, entries: Sequence[str], host: Host) -> list[Candidate]:
    found: list[Candidate] = []
    for position, folder in enumerate(entries, 1):
        if folder in entries[: position - 1]:
            continue
        for path in (join(folder, file) for file in program_names(name, host)):
            # A shell passes over what it may not execute, and goes on looking.
            if not os.path.lexists(path) or os.path.isdir(path):
                continue
            answered = any(
                one.state in (State.READY, State.MISMATCHED) or one.why.startswith("needs") for one in found
            )
            found.append(_candidate(path, position, host, first=not answered))
    return found


def _candidate(path: Place, position: int, host: Host, *, first: bool) -> Candidate:
    facts, real = read_executable(path), Place(os.path.realpath(path))
    state, why = State.READY, ""
    if facts.kind is FileKind.ABSENT:
        state, why = State.BROKEN, f"a dangling link to {os.readlink(path)}"
    elif not is_executable_file(path):
        state, why = State.BROKEN, "is not executable for you"
    elif facts.kind in (FileKind.EMPTY, FileKind.OTHER):
        state, why = State.BROKEN, f"is {'an ' if facts.kind is FileKind.EMPTY else 'of '}{facts.kind.value}"
    elif facts.interpreter and not os.path.exists(facts.interpreter):
        state, why = State.BROKEN, f"needs {facts.interpreter}, which is not there"
    elif facts.kind in PROGRAMS and not _runs_here(facts, host):
        state = State.MISMATCHED
        why = f"{facts.title}; this machine is {host.system.value}, {host.architecture}"
    elif not position:
        state = State.HIDDEN
    elif not first:
        state = State.SHADOWED
    return Candidate(path=path, position=position, state=state, kind=facts.kind.value, leads_to=real, why=why)


def _runs_here(facts: Executable, host: Host) -> bool:
    own = {System.LINUX: FileKind.ELF, System.MACOS: FileKind.MACH_O, System.WINDOWS: FileKind.PE}
    if facts.kind is not own.get(host.system, FileKind.ELF):
        return False
    return any(one in (host.architecture, *host.also_runs) for one in facts.architecture.split(" and "))


def _elsewhere(
    name: str, entries: Sequence[str], places: Mapping[str, str], host: Host
) -> tuple[list[Candidate], tuple[Place, ...], tuple[Place, ...]]:
    deadline = steady_seconds() + SEARCH_SECONDS
    seen = {os.path.realpath(entry) for entry in entries}
    found: list[Candidate] = []
    for folder in (*places, *usual_folders(host)):
        found += _look_in(folder, name, places.get(str(folder), ""), host, seen)
    searched: list[Place] = []
    left: list[Place] = []
    for tree in (*SYSTEM_TREES, host.home):
        if not os.path.isdir(tree):
            continue
        whole = True
        for below in _folders(tree, deadline):
            if below is None:
                whole = False
            else:
                found += _look_in(below, name, "", host, seen)
        (searched if whole else left).append(Place(tree))
    return found, tuple(searched), tuple(left)


def _look_in(folder: str, name: str, owner: str, host: Host, seen: set[str]) -> list[Candidate]:
    """Return the candidate in a folder that is on no path; `seen` are real folders that were looked in."""
    path = join(folder, name)
    # Most folders have none of that name; only for the others it matters where they really are.
    if not os.path.lexists(path) or os.path.realpath(folder) in seen:
        return []
    seen.add(os.path.realpath(folder))
    # Away from the path, a file of that name that nobody may execute is no command.
    if os.path.isdir(path) or not (is_executable_file(path) or os.path.islink(path)):
        return []
    one = _candidate(path, 0, host, first=True)
    why = one.why or (f"in {owner}" if owner else "")
    return [Candidate(path=one.path, position=0, state=one.state, kind=one.kind, leads_to=one.leads_to, why=why)]


def _folders(top: str, deadline: float) -> Iterable[str | None]:
    """Yield folders below `top` down to a bounded depth; None once where the time ran out."""
    todo = [(top, 0)]
    while todo:
        folder, depth = todo.pop()
        if steady_seconds() > deadline:
            yield None
            return
        yield folder
        if depth >= MAX_DEPTH:
            continue
        try:
            with os.scandir(folder) as entries:
                below = [one.path for one in entries if one.is_dir(follow_symlinks=False) and one.name not in SKIPPED]
        except OSError:
            continue
        todo += [(path, depth + 1) for path in sorted(below, reverse=True)]


def _summary(candidates: Sequence[Candidate], wired: Mapping[str, str]) -> State:
    reachable = [one for one in candidates if one.position]
    if any(one.state is State.READY for one in reachable):
        return State.READY
    if reachable:
        return reachable[0].state
    if any(os.path.dirname(one.path) in wired and one.state is State.HIDDEN for one in candidates):
        return State.STALE
    return State.HIDDEN if candidates else State.ABSENT


def _remedy(name: str, state: State, candidates: Sequence[Candidate], places: Mapping[str, str], host: Host) -> str:
    if state is State.STALE:
        return "open a new session; new ones find it"
    usable = next((one for one in candidates if one.state is State.HIDDEN), None)
    if state is State.HIDDEN and usable is not None:
        folder = os.path.dirname(usable.path)
        owner = places.get(folder, "")
        if owner.startswith("environment "):
            environment = owner.removeprefix("environment ")
            return f"ush environment run {typed(environment)} -- {typed(name)}   or   ush environment enter {typed(environment)}"
        return f"ush path add {typed(folder, host.home)}"
    if state in (State.BROKEN, State.MISMATCHED) and usable is not None:
        return f"ush path add {typed(os.path.dirname(usable.path), host.home)}   (another one is there)"
    if state is State.ABSENT:
        return f"ush package get {typed(name)} -e ENVIRONMENT   (if it comes with a package of that name)"
    return ""


def _nearest(name: str, entries: Sequence[str], places: Mapping[str, str]) -> str:
    names: set[str] = set()
    for folder in (*entries, *places):
        try:
            names.update(os.listdir(folder))
        except OSError:
            continue
    return nearest(name, names, likeness=0.75)


def _absolute(entry: str, host: Host) -> str:
    # An empty entry means the current directory.
    return join(host.working_directory, entry) if entry else host.working_directory
