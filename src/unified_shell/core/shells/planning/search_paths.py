"""Changing what is on a search path: wiring, session files and hook-up in one plan."""

import os
import re
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.errors import Refused, UsageError, nearest
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, shown, typed
from unified_shell.core.next_steps import Command, ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode, Side
from unified_shell.core.shells.sessions.path_faults import commands_in, find_faults, first_on
from unified_shell.core.shells.sessions.sessions import open_session
from unified_shell.core.shells.sessions.shell_programs import find_program
from unified_shell.core.shells.wiring.conditions import check_condition
from unified_shell.core.shells.wiring.wiring import Wiring, check_directory_name, read_wiring

from .handwritten import plan_drop_handwritten
from .update_lines import update_lines
from .wiring_changes import WiringChange, plan_wiring

__all__ = [
    "PATH",
    "PathRequest",
    "check_variable_name",
    "checked_directory",
    "plan_path_add",
    "plan_path_drop",
    "wished",
]

PATH = "PATH"
# Plans are read before they are agreed to; the rest is counted.
MOST_ANSWERS = 20
# These are lists of another kind: templates with semicolons, or words of a language.
OTHER_LISTS = (
    (re.compile(r"LUA_C?PATH(_\d+_\d+)?"), ";"),
    (re.compile("TCLLIBPATH"), "blanks"),
)
SHADOWING_FILES = ("os.py", "site.py", "typing.py", "types.py", "json", "logging", "random.py", "email")


class PathRequest(Struct, frozen=True, kw_only=True):
    """What is wanted: a directory on a variable, at a side, or right before another entry.

    `outermost`: an entry that is on that side already moves to its outer end. `promised` are commands that the
    same change puts there; the directory need not be there yet. `tried_by_name`: whoever wishes it asks the sessions
    for each name, so that what stands before the directory is not told a second time.
    """

    directory: str
    variable: str = PATH
    side: Side = Side.FRONT
    before: str = ""
    when: str = ""
    outermost: bool = False
    promised: tuple[str, ...] = ()
    tried_by_name: bool = False


def plan_path_add(request: PathRequest, shells: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to have a directory on a search path in the new sessions of these shells, once.

    Raises UsageError for a directory that is not there, Refused for a name that cannot stand on a path.
    """
    check_variable_name(request.variable)
    check_condition(request.when)
    place = Place(request.directory) if request.promised else checked_directory(request.directory, host)
    check_directory_name(place)
    if request.variable == PATH and not request.promised:
        _check_has_commands(place, host)
    before = read_wiring(locations)
    if there := _there_already(place, request, before, shells, host):
        return change_of(Plan(aim=there, nothing_to_do=there))
    after = wished(before, place, request, host)
    name = shown(place, host.home)
    where = f"before {shown(_absolute(request.before, host), host.home)} on {request.variable}"
    where = where if request.before else f"at the {request.side.value} of {request.variable}"
    change = WiringChange(
        aim=f"Put {name} {where} in new sessions",
        before=before,
        after=after,
        lines=_add_lines(place, request, before, after, host),
        afterwards=_afterwards(place, request, host, locations),
        nothing=f"{name} is already there in new sessions, {where}",
        variable=request.variable,
        wanted=(place,),
        when=request.when,
        in_front=request.variable == PATH and request.side is Side.FRONT and not request.tried_by_name,
    )
    return plan_wiring(change, shells, host, locations)


def _check_has_commands(place: Place, host: Host) -> None:
    """Raise UsageError for a folder whose commands are in its `bin`, such as an interpreter's or a suite's own."""
    below = join(place, "bin")
    if not commands_in(place) and commands_in(below):
        raise UsageError(
            f"{shown(place, host.home)} has no commands itself; they are in its bin: {_some(commands_in(below))}",
            next_step=ush("path", "add", below),
        )


def _there_already(place: Place, request: PathRequest, wiring: Wiring, shells: Sequence[Dialect], host: Host) -> str:
    """Say that new sessions have a directory on PATH without us, where nobody asked for a side of it."""
    asked = request.variable != PATH or request.promised or request.outermost or request.before or request.when
    if asked or wiring.find(PATH, place) is not None or place not in host.search_path():
        return ""
    keys = [(dialect, mode) for dialect in shells if find_program(dialect, host) for mode in Mode]
    sessions = [open_session(dialect, mode, host) for dialect, mode in keys]
    places = [list(one.search_path()).index(place) + 1 for one in sessions if place in one.search_path()]
    if not sessions or len(places) < len(sessions):
        return ""
    return f"new sessions have {shown(place, host.home)} on PATH already, at place {places[0]} (--front moves it)"


def plan_path_drop(
    directory: str, variable: str, shells: Sequence[Dialect], host: Host, locations: Locations
) -> Change:
    """Plan to take a directory off a search path; only the wiring's own entries can go this way."""
    place = Place(os.path.normpath(_absolute(directory, host)))
    before = read_wiring(locations)
    if before.find(variable, place) is None and variable == PATH and locations.scope is Scope.ME:
        by_hand = plan_drop_handwritten(place, shells, host, locations)
        if by_hand is not None:
            return by_hand
    if before.find(variable, place) is None:
        known = [shown(one.directory, host.home) for one in before.entries if one.variable == variable]
        near = nearest(shown(place, host.home), known)
        raise UsageError(
            f"{shown(place, host.home)} is not in the wiring of {variable}, and no startup file of yours puts it there",
            where=f"did you mean {near}?" if near else "",
            next_step=ush("path", "list", why="it says which file and line put an entry there"),
        )
    after = before.without_entry(variable, place)
    change = WiringChange(
        aim=f"Remove {shown(place, host.home)} from {variable} in new sessions",
        before=before,
        after=after,
        lines=(
            plan_line(LineKind.REMOVE, About.ENTRY, variable=variable, directory=place),
            *_answers(before, after, variable, host),
        ),
        afterwards=("New sessions no longer have it; open sessions keep it.",),
        variable=variable,
        unwanted=(place,),
    )
    return plan_wiring(change, shells, host, locations, hook=False)


def check_variable_name(name: str) -> None:
    """Raise for what is no variable's name, and for lists that are not joined by colons."""
    if not name or not (name[0].isalpha() or name[0] == "_") or not all(c.isalnum() or c == "_" for c in name):
        raise UsageError(
            f"{name!r} is not a variable name: use letters, digits and '_'", next_step=ush("variable", "list")
        )
    if not name.isascii():
        raise UsageError(
            f"{name!r} is not a variable name: use ASCII letters only", next_step=ush("variable", "list")
        )
    joined_by = next((told for pattern, told in OTHER_LISTS if pattern.fullmatch(name)), "")
    if joined_by:
        raise Refused(
            f"{name} is a list joined by {joined_by}, not by colons",
            next_step=ush("variable", "add", name, "VALUE", why="the whole value"),
        )


def wished(before: Wiring, place: Place, request: PathRequest, host: Host) -> Wiring:
    """Return the wiring with a request fulfilled; raises UsageError where it names no entry to stand before."""
    check_variable_name(request.variable)
    if request.before:
        other = Place(os.path.normpath(_absolute(request.before, host)))
        anchor = before.find(request.variable, other)
        if anchor is None:
            there = [shown(one.directory, host.home) for one in before.entries if one.variable == request.variable]
            raise UsageError(
                f"{shown(other, host.home)} is not in the wiring, so no entry can stand before it",
                where=f"there are: {', '.join(there) or 'none'}",
                next_step=ush("path", "add", place, "--front"),
            )
        return before.with_entry_before(request.variable, place, other)
    known = before.find(request.variable, place)
    after = before.with_entry(request.variable, place, request.side, request.when)
    if known is None or (known.side, known.when) != (request.side, request.when):
        return after
    return after if request.outermost and after.search_paths() != before.search_paths() else before


def checked_directory(directory: str, host: Host) -> Place:
    """Return a directory's place; raises UsageError where there is none, Refused for what no path can hold."""
    place = Place(os.path.normpath(_absolute(directory, host)))
    check_directory_name(place)
    if os.path.isdir(place):
        return place
    if os.path.exists(place):
        raise UsageError(
            f"{directory!r} is not a directory",
            next_step=ush("path", "add", os.path.dirname(place), why="the directory it is in"),
        )
    above = os.path.dirname(place)
    try:
        near = nearest(os.path.basename(place), os.listdir(above))
    except OSError:
        near = ""
    hint = f"did you mean {typed(join(above, near), host.home)}?" if near else ""
    raise UsageError(
        f"there is no directory {directory!r}",
        where=hint,
        next_step="" if hint else Command(words=("mkdir", "-p", place)),
    )


def _absolute(directory: str, host: Host) -> str:
    return directory if os.path.isabs(directory) else join(host.working_directory, directory)


def _add_lines(place: Place, request: PathRequest, before: Wiring, after: Wiring, host: Host) -> tuple[PlanLine, ...]:
    commands = request.promised or commands_in(place)
    lines = []
    if before.find(request.variable, place) is None:
        on_path = request.variable == PATH
        lines.append(
            plan_line(
                LineKind.ADD,
                About.ENTRY,
                variable=request.variable,
                side=request.side.value,
                directory=place,
                when=request.when,
                commands=tuple(commands) if on_path else (),
                empty=on_path and not commands,
            )
        )
    elif before != after:
        lines.append(plan_line(LineKind.CHANGE, About.ENTRY_MOVES, variable=request.variable, directory=place))
    lines += _promised_answers(place, request, before, after, host) or _answers(before, after, request.variable, host)
    if request.variable == "PYTHONPATH":
        lines += _module_warnings(place)
    faults = find_faults([] if request.promised else [place])
    lines += [
        plan_line(LineKind.WARNING, About.ENTRY_FAULT, directory=place, fault=fault.kind.value) for fault in faults
    ]
    return tuple(lines)


def _module_warnings(place: Place) -> list[PlanLine]:
    """Say what a directory on a module search path would stand in front of, in every interpreter."""
    found = [one for one in SHADOWING_FILES if os.path.exists(join(place, one))]
    lines = [plan_line(LineKind.WARNING, About.SEARCHED_BY_ALL)]
    if found:
        told = plan_line(LineKind.WARNING, About.HIDES_STANDARD_LIBRARY, directory=place, files=tuple(found))
        lines.append(told)
    if "site-packages" in place or "dist-packages" in place:
        lines.append(plan_line(LineKind.WARNING, About.BELONGS_TO_ONE, directory=place))
    return lines


def _answers(before: Wiring, after: Wiring, variable: str, host: Host) -> list[PlanLine]:
    """Return a line for each command name whose answer changes, from what to what."""
    if variable != PATH:
        return []
    old, new = _entries(before, host), _entries(after, host)
    touched = [one for one in dict.fromkeys((*old, *new)) if _position(old, one) != _position(new, one)]
    wired = {one.directory for one in (*before.entries, *after.entries)}
    names = sorted({command for one in touched if one in wired for command in commands_in(one)})
    lines = []
    for command in names:
        was, will = first_on(old, command), first_on(new, command)
        if was != will and was and will:
            told = plan_line(LineKind.ANSWER, About.ANSWER_CHANGES, command=command, before=was, after=will)
            lines.append(told)
        elif was and not will:
            lines.append(plan_line(LineKind.REMOVE, About.ANSWER_GONE, command=command, before=was))
        elif was == will and was and os.path.dirname(was) not in wired:
            own = next(join(one, command) for one in touched if one in wired and command in commands_in(one))
            lines.append(plan_line(LineKind.STAYS, About.ANSWER_STAYS, command=command, file=was, behind=own))
    more = len(lines) - MOST_ANSWERS
    cut = [plan_line(LineKind.NOTE, About.MORE_NAMES, count=more)] if more > 0 else []
    return [*lines[:MOST_ANSWERS], *cut]


def _promised_answers(
    place: Place, request: PathRequest, before: Wiring, after: Wiring, host: Host
) -> list[PlanLine]:
    """Return a line for each promised command that is answered already: by which one from now on."""
    old, new = _entries(before, host), _entries(after, host)
    lines = []
    for command in request.promised:
        was = first_on(old, command)
        if not was:
            continue
        first = _position(new, place) <= _position(new, os.path.dirname(was))
        if first:
            lines.append(plan_line(LineKind.ANSWER, About.ANSWER_FROM_THERE, command=command, before=was))
        else:
            lines.append(plan_line(LineKind.STAYS, About.ANSWER_STAYS, command=command, file=was))
    return lines


def _entries(wiring: Wiring, host: Host) -> list[str]:
    """Return PATH as this session's would be with that wiring, the wiring's own entries taken out first."""
    own = {one.directory for one in wiring.entries if one.variable == PATH}
    inherited = [one for one in host.search_path() if one not in own]
    sides = {path.side: list(path.directories) for path in wiring.search_paths() if path.variable == PATH}
    return [*sides.get(Side.FRONT, []), *inherited, *sides.get(Side.BACK, [])]


def _position(entries: Sequence[str], one: str) -> int:
    return list(entries).index(one) if one in entries else -1


def _afterwards(place: Place, request: PathRequest, host: Host, locations: Locations) -> tuple[str, ...]:
    commands = (request.promised or commands_in(place)) if request.variable == PATH else ()
    start = (f"Start one: {commands[0]}{'' if request.promised else ' --help'}",) if commands else ()
    return (*start, *update_lines(host, locations))


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")
