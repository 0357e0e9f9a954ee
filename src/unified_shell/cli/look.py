"""`ush` and `ush look`."""

from typing import TYPE_CHECKING

import click

from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from unified_shell.core.verification.survey import Survey

__all__ = ["look", "show_standing"]


@click.command()
@click.argument("name", required=False)
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def look(bench: Workbench, name: str | None, *, as_json: bool) -> None:
    """Look at this session and machine, or at one NAME: a command, a directory, a file or a pattern.

    A NAME with a slash in it is a directory or file; one with `*`, `?` or `[` is a pattern; any other is a
    command, for which new sessions of your shells are opened (they run your startup files). Exit code 1 if
    a command is not ready in this session.
    """
    if name is None:
        _look_around(bench, as_json=as_json)
    elif "/" in name or name in (".", ".."):
        _look_at_place(bench, name, as_json=as_json)
    elif any(c in name for c in "*?["):
        _look_for_pattern(bench, name, as_json=as_json)
    else:
        _look_for_name(bench, name, as_json=as_json)


def show_standing(bench: Workbench) -> None:
    """Show where this account stands, and the one next thing to do."""
    from unified_shell.views.look_view import print_standing

    print_standing(bench.screen, _survey(bench))


def _survey(bench: Workbench) -> "Survey":
    from unified_shell.core.machine.session import read_session
    from unified_shell.core.verification.survey import survey

    session = read_session()
    shell = f"{session.shell} (login)" if session.is_login else session.shell
    return survey(bench.host, bench.locations, session_shell=shell, session_is_interactive=session.is_interactive)


def _look_around(bench: Workbench, *, as_json: bool) -> None:
    seen = _survey(bench)
    if as_json:
        from unified_shell.views.json_view import json_text

        bench.screen.result(json_text("look", seen))
    else:
        from unified_shell.views.look_view import print_survey

        print_survey(bench.screen, seen, bench.host.home)


def _look_for_name(bench: Workbench, name: str, *, as_json: bool) -> None:
    from unified_shell.core.commands.candidates import look_for_command
    from unified_shell.core.commands.desktop import menu_entries
    from unified_shell.core.commands.states import State
    from unified_shell.core.shells.wiring import read_wiring
    from unified_shell.core.verification.managed import managed_places
    from unified_shell.core.verification.name_states import name_states, session_is_stale, stale_programs

    wiring = read_wiring(bench.locations)
    report = look_for_command(name, bench.host, managed_places(bench.locations), wiring)
    sessions, menu = name_states(report, bench.host), menu_entries(name, bench.host)
    stale = session_is_stale(bench.host, wiring)
    programs = stale_programs(wiring) if stale or report.state is State.STALE else ()
    if as_json:
        import dataclasses

        from unified_shell.views.json_view import json_text

        fields = {one.name: getattr(report, one.name) for one in dataclasses.fields(report)}
        bench.screen.result(
            json_text(
                "name",
                {**fields, "sessions": sessions, "menu": menu, "session_is_stale": stale, "stale_programs": programs},
            )
        )
    else:
        from unified_shell.views.look_view import print_name, print_sessions, print_stale_programs

        print_name(bench.screen, report, bench.host.home)
        print_sessions(bench.screen, report, sessions, menu, bench.host.home, stale=stale)
        print_stale_programs(bench.screen, programs)
    if report.state is not State.READY:
        click.get_current_context().exit(1)


def _look_for_pattern(bench: Workbench, pattern: str, *, as_json: bool) -> None:
    from unified_shell.core.commands.patterns import match_names
    from unified_shell.core.verification.managed import managed_places
    from unified_shell.views.json_view import json_text
    from unified_shell.views.look_view import print_matches

    found = match_names(pattern, bench.host, managed_places(bench.locations))
    if as_json:
        bench.screen.result(json_text("names", found))
    else:
        print_matches(bench.screen, pattern, found, bench.host.home)
    if not found:
        click.get_current_context().exit(1)


def _look_at_place(bench: Workbench, text: str, *, as_json: bool) -> None:
    from unified_shell.core.commands.directories import look_at_place
    from unified_shell.core.errors import WordsOff
    from unified_shell.core.machine.executables import FileKind

    report = look_at_place(text, bench.host, bench.locations)
    if report.kind == FileKind.ABSENT.value:
        raise WordsOff(f"there is no {text!r}", next_step=f"ush look {text.rstrip('/').rsplit('/', 1)[-1]}")
    if as_json:
        from unified_shell.views.json_view import json_text

        bench.screen.result(json_text("place", report))
    else:
        from unified_shell.views.look_view import print_place

        print_place(bench.screen, report, bench.host.home)
