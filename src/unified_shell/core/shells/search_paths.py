"""Changing what is on a search path: wiring, session files and hook-up in one plan; and faults on it."""

import os
import stat
from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

from unified_shell.core.changes.plan import Change, LineKind, Plan, PlanLine
from unified_shell.core.changes.steps import PutRecord, Step
from unified_shell.core.errors import WordsOff, nearest
from unified_shell.core.findings import Finding
from unified_shell.core.machine.executables import is_executable_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown, typed

from .dialects import SH
from .dialects.dialect import Dialect, Side
from .hookup import SESSIONS_NOTE, HookUp, Proof, plan_hookup
from .session_files import session_file_steps
from .wiring import Wiring, check_directory_name, read_wiring, wiring_file

__all__ = ["FaultKind", "PathFault", "commands_in", "find_faults", "plan_path_add"]

PATH = "PATH"


class FaultKind(Enum):
    """What can be wrong with an entry of a search path."""

    MISSING = "is not there"
    NOT_DIRECTORY = "is no directory"
    DUPLICATE = "is there twice"
    RELATIVE = "is relative: it means another directory in each place"
    EMPTY = "is empty: it means the current directory"
    LITERAL_TILDE = "holds a literal ~, which programs do not expand"
    WRITABLE_BY_OTHERS = "can be written by others"
    UNREADABLE = "cannot be read"


@dataclass(frozen=True, slots=True, kw_only=True)
class PathFault:
    """One fault of one entry; `position` counts from 1."""

    position: int
    directory: Place
    kind: FaultKind


def find_faults(entries: Sequence[str]) -> tuple[PathFault, ...]:
    """Return the faults of a search path's entries, in order."""
    found, seen = [], set()
    for position, entry in enumerate(entries, 1):
        kind = FaultKind.DUPLICATE if entry in seen else _fault(entry)
        seen.add(entry)
        if kind is not None:
            found.append(PathFault(position=position, directory=Place(entry), kind=kind))
    return tuple(found)


def commands_in(directory: str) -> tuple[str, ...]:
    """Return the names of the commands that a directory offers, sorted; none where it cannot be read."""
    try:
        names = os.listdir(directory)
    except OSError:
        return ()
    return tuple(sorted(name for name in names if is_executable_file(join(directory, name))))


def plan_path_add(
    directory: str,
    side: Side,
    shells: Sequence[Dialect],
    host: Host,
    locations: Locations,
) -> Change:
    """Plan to have a directory on PATH in the new sessions of these shells, once.

    Raises WordsOff for a directory that is not there, Refused for a name that cannot stand on a path.
    """
    place = _checked_directory(directory, host)
    before = read_wiring(locations)
    known = before.find(PATH, place)
    wiring = before if known is not None and known.side is side else before.with_entry(PATH, place, side)
    hookup = plan_hookup(shells, host, locations)
    steps: tuple[Step, ...] = (
        *_record_steps(before, wiring, locations),
        *session_file_steps(wiring, locations, host.home),
        *hookup.steps,
    )
    words = f"path add {typed(place, host.home)}"
    if not steps:
        said = f"{shown(place, host.home)} is on PATH in new sessions already, at the {side.value}"
        plan = Plan(words=words, aim=said, nothing_to_do=said)
        return Change(plan=plan, prepare=lambda _staging: ())
    plan = Plan(
        words=words,
        aim=f"Have {shown(place, host.home)} at the {side.value} of PATH in new sessions",
        lines=_lines(place, side, before, hookup, host),
        relies_on=hookup.relies_on,
        afterwards=_afterwards(place, side, host),
    )
    files = [step.path for step in hookup.steps]
    proofs: list[Proof] = []

    def prepare(_staging: Place) -> tuple[Step, ...]:
        # The sessions as they are before the edit: what fails then is not the edit's fault.
        proofs.append(Proof(shells, host, files))
        return steps

    def verify() -> tuple[Finding, ...]:
        return proofs[-1].findings(PATH, [place])

    return Change(plan=plan, prepare=prepare, verify=verify)


def _checked_directory(directory: str, host: Host) -> Place:
    text = directory if directory.startswith("/") else join(host.working_directory, directory)
    place = Place(os.path.normpath(text))
    check_directory_name(place)
    if os.path.isdir(place):
        return place
    if os.path.exists(place):
        raise WordsOff(
            f"{directory!r} is no directory",
            next_step=f"ush path add {typed(os.path.dirname(place), host.home)}   (the directory it is in)",
        )
    above = os.path.dirname(place)
    try:
        near = nearest(os.path.basename(place), os.listdir(above))
    except OSError:
        near = ""
    hint = f"did you mean {typed(join(above, near), host.home)}?" if near else ""
    raise WordsOff(
        f"there is no directory {directory!r}",
        where=hint,
        next_step="" if hint else f"mkdir -p {typed(place, host.home)}",
    )


def _record_steps(before: Wiring, after: Wiring, locations: Locations) -> tuple[PutRecord, ...]:
    was = {one.keys: one.value_text for one in before.entries}
    return tuple(
        PutRecord(path=wiring_file(locations), keys=one.keys, before=was.get(one.keys, ""), after=one.value_text)
        for one in after.entries
        if was.get(one.keys) != one.value_text
    )


def _lines(place: Place, side: Side, before: Wiring, hookup: HookUp, host: Host) -> tuple[PlanLine, ...]:
    name, commands = shown(place, host.home), commands_in(place)
    lines = []
    if before.find(PATH, place) is None:
        offer = f"offers {_some(commands)}" if commands else "offers no command yet"
        lines.append(PlanLine(kind=LineKind.ADD, subject=f"PATH, {side.value}: {name}", detail=offer))
    else:
        lines.append(PlanLine(kind=LineKind.CHANGE, subject=f"PATH: {name} moves to the {side.value}"))
    lines += [_answer_line(place, side, command, host) for command in commands if _other(place, command, host)]
    lines += [PlanLine(kind=LineKind.WARNING, subject=f"{name} {fault.kind.value}") for fault in find_faults([place])]
    return (*lines, SESSIONS_NOTE, *hookup.lines)


def _other(place: str, command: str, host: Host) -> str:
    folders = [one for one in host.search_path() if one.startswith("/") and one != place]
    return next((join(one, command) for one in folders if is_executable_file(join(one, command))), "")


def _answer_line(place: Place, side: Side, command: str, host: Host) -> PlanLine:
    other, mine = _other(place, command, host), shown(join(place, command), host.home)
    if side is Side.FRONT:
        return PlanLine(
            kind=LineKind.CHANGE, subject=f"{command} will answer from {mine}", detail=f"now from {other}"
        )
    return PlanLine(kind=LineKind.NOTE, subject=f"{command} stays with {other}", detail=f"{mine} comes after it")


def _afterwards(place: Place, side: Side, host: Host) -> tuple[str, ...]:
    word = SH.quote_place(place, host.home)
    line = f'PATH={word}:"$PATH"' if side is Side.FRONT else f'PATH="$PATH":{word}'
    commands = commands_in(place)
    start = (f"Start one: {commands[0]} --help",) if commands else ()
    return (*start, "New sessions have it. This one does not yet; to update it, type:", f"  {line}")


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")


def _fault(entry: str) -> FaultKind | None:
    if not entry:
        return FaultKind.EMPTY
    if entry.startswith("~"):
        return FaultKind.LITERAL_TILDE
    if not entry.startswith("/"):
        return FaultKind.RELATIVE
    try:
        facts = os.stat(entry)
    except FileNotFoundError:
        return FaultKind.MISSING
    except OSError:
        return FaultKind.UNREADABLE
    if not stat.S_ISDIR(facts.st_mode):
        return FaultKind.NOT_DIRECTORY
    # The sticky bit does not help: anybody may still put a new command there.
    return FaultKind.WRITABLE_BY_OTHERS if facts.st_mode & stat.S_IWOTH else None
