"""A name looked at from all sides: this session, new ones, menus, modules; the state it comes to, and what comes next."""

import os
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.commands.candidates import Candidate, NameReport, look_for_command
from unified_shell.core.commands.desktop import MenuEntry, menu_entries
from unified_shell.core.commands.preferred import links_folder
from unified_shell.core.commands.states import State
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.interpreters.searching import language_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, everyone_locations
from unified_shell.core.machine.places import typed
from unified_shell.core.machine.processes.running_programs import RunningProgram
from unified_shell.core.machine.processes.system_packages import search_line
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.sessions.command_sessions import CommandSession, ask_command_session
from unified_shell.core.shells.sessions.name_lookup import NameQuestion
from unified_shell.core.shells.wiring.wiring import read_wiring

from .command_versions import asker_of_versions, version_of
from .managed_places import managed_places
from .name_states import SessionState, name_states, overall_state
from .staleness import session_is_stale, stale_programs

__all__ = ["NameLook", "look_at_name"]


class NameLook(Struct, frozen=True, kw_only=True):
    """What was seen. `state` is the worst of this session's and the new ones'; `report` tells of this session, `commands`
    of scripts, cron and `ssh host COMMAND`.
    """

    state: State
    report: NameReport
    sessions: tuple[SessionState, ...]
    menu: tuple[MenuEntry, ...]
    session_is_stale: bool
    stale_programs: tuple[RunningProgram, ...]
    remedy: NextStep
    commands: tuple[CommandSession, ...] = ()

    @property
    def answers_elsewhere(self) -> str:
        """The file that new sessions start where this one starts another; empty where they agree."""
        own = next((one.path for one in self.report.candidates if one.state is State.READY), "")
        answers = {str(one.file) for one in self.sessions if one.file}
        return min(answers) if own and answers and own not in answers else ""


def look_at_name(name: str, host: Host, locations: Locations, question: NameQuestion) -> NameLook:
    """Look for a command; `question` asks new sessions of the person's shells for it, which run the startup files."""
    wiring = read_wiring(locations)
    report = look_for_command(
        name, host, managed_places(host, locations), wiring, ask=asker_of_versions(host, locations)
    )
    report, sessions = _with_versions(report, name_states(report, host, question), host, locations)
    folders = [links_folder(one) for one in (locations, everyone_locations(host))]
    wired = [*folders, *(one.directory for one in wiring.entries if one.variable == "PATH")]
    state = overall_state(report, sessions, wired)
    stale = session_is_stale(host, wiring)
    found = NameLook(
        state=state,
        report=report,
        sessions=sessions,
        menu=menu_entries(name, host),
        session_is_stale=stale,
        stale_programs=stale_programs(wiring) if stale or state is State.STALE else (),
        remedy="",
        commands=_command_sessions(name, sessions, host, locations),
    )
    absent = state is State.ABSENT
    return replace(found, remedy=_remedy_where_absent(report, host, locations) if absent else _remedy(found))


def _with_versions(
    report: NameReport, sessions: Sequence[SessionState], host: Host, locations: Locations
) -> tuple[NameReport, tuple[SessionState, ...]]:
    """Add the versions of the files that answer in new sessions, and were not asked yet."""
    known = {one.path: one.version for one in report.candidates if one.version}
    files = {one.file for one in sessions if one.state is State.READY and one.file and not one.why}
    told = known | {file: version_of(file, host, locations) for file in files if file not in known}
    candidates = tuple(replace(one, version=told.get(one.path, "")) for one in report.candidates)
    said = (f"version {told[one.file]}" if one.file in files and told.get(one.file) else one.why for one in sessions)
    return (
        replace(report, candidates=candidates),
        tuple(replace(one, why=why) for one, why in zip(sessions, said, strict=True)),
    )


def _command_sessions(
    name: str, sessions: Sequence[SessionState], host: Host, locations: Locations
) -> tuple[CommandSession, ...]:
    """Ask how a name fares where nobody sits, for the shells in whose sessions it is found."""
    shells = dict.fromkeys(one.shell for one in sessions if one.file)
    asked = (ask_command_session(dialect_named(one), name, host, locations) for one in shells)
    return tuple(one for one in asked if one is not None)


def _remedy(look: NameLook) -> NextStep:
    """Return what mends the worst of it; nothing where all is well, or where nothing known would."""
    report, state = look.report, look.state
    if state is State.READY:
        return ""
    if state is State.STALE:
        return "open a new session   (new ones find it)"
    if report.state is State.READY and state is State.HIDDEN:
        here = next(one for one in report.candidates if one.state is State.READY)
        return ush("path", "add", os.path.dirname(here.path), why="new sessions do not find it")
    if state in (State.BROKEN, State.MISMATCHED):
        works = _another_that_starts(report.candidates)
        if works:
            return ush("command", "prefer", report.name, works)
    return report.remedy


def _another_that_starts(candidates: Sequence[Candidate]) -> str:
    usable = (State.READY, State.SHADOWED, State.HIDDEN)
    return next((str(one.path) for one in candidates if one.state in usable), "")


def _remedy_where_absent(report: NameReport, host: Host, locations: Locations) -> NextStep:
    """Return how to have a command that is nowhere here; nothing is offered that could be another's code."""
    from .known_providers import providers_of
    from .providers import ProviderPlace

    if report.nearest_name:
        return report.remedy
    language = find_language(report.name) or find_language(language_of(report.name))
    if language is not None:
        return ush("interpreter", "get", language.name)
    providers = providers_of(report.name, host, locations, command=True)
    if providers:
        one = providers[0]
        if one.place is ProviderPlace.ENVIRONMENT:
            return ush("environment", "enter", one.environment)
        return ush("command", "get", one.project)
    line = search_line(typed(report.name), host)
    return f"{line}   (if it is a tool of the system)" if line else ""
