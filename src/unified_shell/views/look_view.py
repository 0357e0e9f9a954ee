"""What `ush look` shows: the whole at a glance, one name, one place."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.commands.states import State
from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.places import shown

from .terminal.tables import heading, print_rows, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.commands.candidates import NameReport
    from unified_shell.core.commands.directories import PlaceReport
    from unified_shell.core.commands.patterns import MatchedName
    from unified_shell.core.machine.processes.running_programs import RunningProgram
    from unified_shell.core.verification.names.looking import NameLook
    from unified_shell.core.verification.standing import Standing
    from unified_shell.core.verification.survey import Survey

    from .terminal.screen import Screen

__all__ = [
    "print_look",
    "print_matches",
    "print_place",
    "print_stale_programs",
    "print_standing",
    "print_survey",
]


MOST_FAULTS = 4


def print_survey(screen: Screen, seen: Survey, home: str) -> None:
    """Write the survey, a section a subject, the next thing to do last."""
    from .interpreter_view import print_interpreters, print_other_interpreters

    mode = "interactive" if seen.session_is_interactive else "not interactive"
    entered = f"environment {seen.entered_name} is entered" if seen.entered_name else "no environment entered"
    disk = f"{shown_size(seen.disk.free_bytes)} free of {shown_size(seen.disk.total_bytes)}"
    heading(screen, "This session and machine")
    print_rows(
        screen,
        [
            ("session", f"{seen.session_shell or 'no known shell'}, {mode}; {entered}"),
            ("system", f"{seen.system}, {seen.architecture}, {seen.word_size_bits} bit, {seen.libc}"),
            ("stores in", f"{shown(seen.disk.place, home)}, {disk}{'' if seen.disk.writable else ', NOT WRITABLE'}"),
        ],
    )
    heading(screen, "\nPython interpreters")
    print_interpreters(screen, seen.interpreters, home)
    if seen.other_interpreters:
        heading(screen, "\nInterpreters of other languages")
        print_other_interpreters(screen, seen.other_interpreters, home)
    heading(screen, "\nShells")
    print_table(
        screen,
        ("name", "program", "login shell", "hook-up"),
        [
            (
                one.name,
                shown(one.program, home),
                "yes" if one.is_login_shell else "",
                _wired(one.wired, can_be=one.can_be_wired),
            )
            for one in seen.shells
        ],
        indent=2,
    )
    _print_search_path(screen, seen, home)
    _print_managed(screen, seen, home)
    print_stale_programs(screen, seen.stale_programs)
    for one in seen.programs_on_old:
        screen.result(f"  {one.name} (process {one.process_id}) began before {one.value} changed; restart it")
    screen.next(seen.next_thing, label="\nNext")


def print_stale_programs(screen: Screen, programs: Sequence[RunningProgram]) -> None:
    """Name the running programs that do not know of the last change of the wiring."""
    if programs:
        names = ", ".join(f"{one.name} (process {one.process_id})" for one in programs[:8])
        more = f" and {len(programs) - 8} more" if len(programs) > 8 else ""
        screen.result(f"  running programs that began before the wiring changed: {names}{more}")


def print_standing(screen: Screen, seen: Standing, home: str) -> None:
    """Write where this account stands, in a few lines."""
    wired = ", ".join(one.name for one in seen.shells if one.wired) or "none"
    entered = [("entered", seen.entered_name)] if seen.entered_name else []
    faults = [
        ("", f"place {one.position}: {shown(one.directory, home) or '(empty)'} {one.kind.value}")
        for one in seen.path_faults[:MOST_FAULTS]
    ]
    more = len(seen.path_faults) - len(faults)
    print_rows(
        screen,
        [
            *entered,
            ("environments", ", ".join(one.name for one in seen.environments) or "none"),
            ("indexes", ", ".join(one.name for one in seen.indexes) or "none"),
            ("wired shells", wired),
            ("search path", _faults(seen)),
            *faults,
            *([("", f"and {more} more: ush look")] if more > 0 else []),
        ],
        indent=0,
    )
    screen.next(seen.next_thing, label="\nNext")
    screen.result("All commands: ush --help")


def print_look(screen: Screen, seen: NameLook, home: str) -> None:
    """Write what is known of a name: its state, each candidate, new sessions, menus, the next thing to type."""
    report = seen.report
    heading(screen, f"{report.name}: {seen.state.value} — {_meaning(seen, home)}")
    _print_candidates(screen, report, home)
    _print_sessions(screen, seen, home)
    for entry in seen.menu:
        gone = "" if entry.starts else ", which is not there"
        title = f"{entry.title!r} ({shown(entry.file, home)})"
        screen.result(f"  menu entry {title} starts {shown(entry.program, home)}{gone}")
    if seen.session_is_stale:
        screen.result("  this session began before the wiring changed; open a new one")
    print_stale_programs(screen, seen.stale_programs)
    screen.next(seen.remedy)


def _meaning(seen: NameLook, home: str) -> str:
    """Say the state in a person's words; of a session that is stale, what new ones answer with."""
    here = seen.report.state
    if seen.state is State.STALE:
        file = next((one.file for one in seen.sessions if one.file), "")
        here_too = (
            "began before the change" if seen.session_is_stale or seen.answers_elsewhere else "does not find it"
        )
        return f"new sessions start {shown(file, home)}; this one {here_too}"
    if seen.state is State.READY and here is not State.READY:
        return "the shell's own command"
    if seen.state is State.READY and seen.answers_elsewhere:
        return f"{seen.state.meaning}; new sessions start {shown(seen.answers_elsewhere, home)}"
    if here is State.READY and seen.state is not State.READY:
        count = sum(one.state is not State.READY for one in seen.sessions)
        return f"starts in this session, but not in {count} of {len(seen.sessions)} kinds of new session"
    if here is not seen.state and here is not State.READY and seen.state is State.SHADOWED:
        return "an alias or function answers"
    return seen.state.meaning


def _print_candidates(screen: Screen, report: NameReport, home: str) -> None:
    if report.candidates:
        print_table(
            screen,
            ("state", "on PATH", "file", "version", "what"),
            [
                (
                    one.state.value,
                    f"place {one.position}" if one.position else "no",
                    shown(one.path, home),
                    one.version,
                    "; ".join(
                        filter(None, [one.kind, "" if one.why else _link(one.path, one.leads_to, home), one.why])
                    ),
                )
                for one in report.candidates
            ],
            indent=2,
        )
    else:
        searched = ", ".join(shown(one, home) for one in report.searched)
        screen.result(f"  searched: PATH, what ush manages, {searched}")
    if report.not_searched:
        left = ", ".join(shown(one, home) for one in report.not_searched)
        screen.result(f"  not searched to the end, for time: {left}")
    if report.nearest_name:
        screen.result(f"  a name like it: {report.nearest_name}")


def _print_sessions(screen: Screen, seen: NameLook, home: str) -> None:
    rows = [
        (one.state.value, f"{one.mode.value} {one.shell}", shown(one.file, home) if one.file else "", one.why)
        for one in seen.sessions
    ]
    # Where the name is nowhere at all, that no session finds it is no news.
    if any(one.state is not State.ABSENT for one in seen.sessions):
        screen.result("")
        begin: list[str] = []
        for one in seen.commands:
            found = one.file in {each.file for each in seen.sessions}
            # Where it is as everywhere, there is nothing to say.
            if not found:
                state = "differs" if one.file else "hidden"
                row = (state, f"scripts, cron, ssh ({one.shell})", shown(one.file, home), f"reads {one.reads}")
                rows.append(row)
                begin += [f"  to have it in a script of {one.shell}, begin with: {one.remedy}"] if one.remedy else []
        print_table(screen, ("state", "new session", "answers", "why"), rows, indent=2)
        for line in begin:
            screen.result(line)


def print_matches(screen: Screen, pattern: str, found: Sequence[MatchedName], home: str) -> None:
    """Write the names that fit a pattern."""
    heading(screen, f"{pattern}: {len(found)} name{'' if len(found) == 1 else 's'}")
    rows = [
        (one.state.value, one.name, shown(one.file, home), f"{one.others} more of that name" if one.others else "")
        for one in found
    ]
    if rows:
        print_table(screen, ("state", "name", "answers", ""), rows, indent=2)
    else:
        screen.result("  searched: PATH, what ush manages, the usual places beside it")


def print_place(screen: Screen, report: PlaceReport, home: str) -> None:
    """Write what a directory or file offers, and on which path it is."""
    heading(screen, f"{shown(report.path, home)}: {report.file_kind}")
    where = f"place {report.position} of this session's PATH" if report.position else "not on this session's PATH"
    rows = [("on PATH", f"{where}{'; in the wiring' if report.wired else ''}")]
    commands = ", ".join(report.commands[:24]) + (
        f" and {len(report.commands) - 24} more" if len(report.commands) > 24 else ""
    )
    if report.belongs_to:
        rows.insert(0, ("is", report.belongs_to))
    rows.append(("commands", commands or "none"))
    if report.needs:
        rows.append(("needs", ", ".join(report.needs)))
    if report.lost_bytes:
        rows.append(("cut short", f"{report.lost_bytes} bytes of the program are not in the file"))
    if report.without_execute_bit:
        names = ", ".join(report.without_execute_bit[:12])
        rows.append(("programs", f"{names}: no execute bit (chmod +x), so not found as commands"))
    if report.hidden_commands:
        hidden = ", ".join(report.hidden_commands[:12])
        more = len(report.hidden_commands) - 12
        rows.append(("shadowed", hidden + (f" and {more} more" if more > 0 else "") + ": found elsewhere first"))
    print_rows(screen, rows)
    screen.next(report.remedy)


def _print_search_path(screen: Screen, seen: Survey, home: str) -> None:
    heading(screen, "\nSearch path")
    rows = [
        (f"place {one.position}", f"{shown(one.directory, home) or '(empty)'} {one.kind.value}")
        for one in seen.path_faults
    ]
    rows += [("unreached", f"{shown(one, home)} has commands, but is not on PATH") for one in seen.unreached]
    print_rows(screen, rows or [("PATH", f"{seen.path_entries} entries, no faults")])


def _print_managed(screen: Screen, seen: Survey, home: str) -> None:
    heading(screen, "\nManaged by ush")
    rows = [
        (
            "environment",
            f"{one.name}   {one.title}, {len(one.contents.distributions)} distributions",
        )
        for one in seen.environments
    ]
    rows += [("interpreter", f"{one.name}   {shown(one.executable, home)}") for one in seen.kept]
    rows += [("interpreter", f"{one.name}   {shown(one.executable, home)}") for one in seen.adopted]
    rows += [("suite", one) for one in seen.suites]
    rows += [("index", f"{one.name}   {one.shown}") for one in seen.indexes]
    rows += [("wiring", f"{one.variable}, {one.side.value}: {shown(one.directory, home)}") for one in seen.wiring]
    if seen.completes:
        rows.append(("wiring", "Tab completes the words of ush"))
    print_rows(screen, rows or [("nothing", "yet")])


def _wired(modes: Sequence[str], *, can_be: bool) -> str:
    if not can_be:
        return "not by this version"
    return ", ".join(modes) or "no"


def _faults(seen: Survey | Standing) -> str:
    count = len(seen.path_faults) + len(seen.unreached)
    return f"{seen.path_entries} entries, {count or 'no'} fault{'' if count == 1 else 's'}"


def _link(path: str, leads_to: str, home: str) -> str:
    return "" if path == leads_to else f"leads to {shown(leads_to, home)}"
