"""`ush` and `ush look`."""

import dataclasses
from typing import TYPE_CHECKING

import click

from unified_shell.core.machine.places import typed

from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from unified_shell.core.verification.module_states import ModuleReport
    from unified_shell.core.verification.survey import Survey

__all__ = ["look", "show_standing"]


@click.command()
@click.argument("name", required=False)
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def look(bench: Workbench, name: str | None, *, as_json: bool) -> None:
    """Look at this session and machine, or at one NAME: a command, a directory, a file or a pattern.

    A NAME with a slash in it is a directory or file; one with `*`, `?` or `[` is a pattern; `module:NAME` is a
    module, for which every interpreter and environment is asked; any other is a command, for which new sessions
    of your shells are opened (they run your startup files), or a module if there is no such command. Exit code
    1 if it is not ready in this session.
    """
    if name is None:
        _look_around(bench, as_json=as_json)
    elif name.startswith("module:"):
        _look_for_module(bench, name.removeprefix("module:"), as_json=as_json)
    elif "/" in name or name in (".", ".."):
        _look_at_place(bench, name, as_json=as_json)
    elif any(c in name for c in "*?["):
        _look_for_pattern(bench, name, as_json=as_json)
    else:
        _look_for_name(bench, name.removeprefix("command:"), as_json=as_json)


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
    from unified_shell.core.verification.name_states import name_states
    from unified_shell.core.verification.staleness import session_is_stale, stale_programs

    wiring = read_wiring(bench.locations)
    report = look_for_command(name, bench.host, managed_places(bench.host, bench.locations), wiring)
    sessions, menu = name_states(report, bench.host), menu_entries(name, bench.host)
    stale = session_is_stale(bench.host, wiring)
    programs = stale_programs(wiring) if stale or report.state is State.STALE else ()
    module = _module_of(bench, name) if report.state is State.ABSENT else None
    if as_json:
        from unified_shell.views.json_view import json_text

        fields = {one.name: getattr(report, one.name) for one in dataclasses.fields(report)}
        bench.screen.result(
            json_text(
                "name",
                {
                    **fields,
                    "sessions": sessions,
                    "menu": menu,
                    "session_is_stale": stale,
                    "stale_programs": programs,
                    "module": module,
                },
            )
        )
    else:
        from unified_shell.views.look_view import print_name, print_sessions, print_stale_programs

        if module is not None and (module.holders or module.import_as):
            report = dataclasses.replace(report, remedy="")
        print_name(bench.screen, report, bench.host.home)
        print_sessions(bench.screen, report, sessions, menu, bench.host.home, stale=stale)
        print_stale_programs(bench.screen, programs)
        if module is not None and (module.holders or module.import_as):
            from unified_shell.views.module_view import print_module

            print_module(bench.screen, module, bench.host.home)
    if (module or report).state is not State.READY:
        click.get_current_context().exit(1)


def _look_for_module(bench: Workbench, name: str, *, as_json: bool) -> None:
    from unified_shell.core.commands.states import State
    from unified_shell.views.json_view import json_text
    from unified_shell.views.module_view import print_module

    report = _module_of(bench, name)
    if as_json:
        bench.screen.result(json_text("module", report))
    else:
        print_module(bench.screen, report, bench.host.home)
    if report.state is not State.READY:
        click.get_current_context().exit(1)


def _module_of(bench: Workbench, name: str) -> "ModuleReport":
    from unified_shell.core.verification.module_states import look_for_module

    return look_for_module(name, bench.host, bench.locations)


def _look_for_pattern(bench: Workbench, pattern: str, *, as_json: bool) -> None:
    from unified_shell.core.commands.patterns import match_names
    from unified_shell.core.verification.managed import managed_places
    from unified_shell.views.json_view import json_text
    from unified_shell.views.look_view import print_matches

    found = match_names(pattern, bench.host, managed_places(bench.host, bench.locations))
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
        raise WordsOff(f"there is no {text!r}", next_step=f"ush look {typed(text.rstrip('/').rsplit('/', 1)[-1])}")
    if as_json:
        from unified_shell.views.json_view import json_text

        bench.screen.result(json_text("place", report))
    else:
        from unified_shell.views.look_view import print_place

        print_place(bench.screen, report, bench.host.home)
