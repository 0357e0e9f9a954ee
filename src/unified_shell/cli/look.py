"""`ush` and `ush look`."""

import dataclasses
from typing import TYPE_CHECKING

import click

from unified_shell.core.machine.places import typed

from .beginnings import CheckedCommand
from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from unified_shell.core.verification.module_states import ModuleReport
    from unified_shell.core.verification.survey import Survey

__all__ = ["look", "show_standing"]


@click.command(cls=CheckedCommand)
@click.argument("names", nargs=-1, metavar="[NAME]...")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def look(bench: Workbench, names: tuple[str, ...], *, as_json: bool) -> None:
    """Look at this session and machine, or at each NAME: a command, a directory, a file or a pattern.

    A NAME with a slash in it is a directory or file; one with `*`, `?` or `[` is a pattern; `module:NAME` is a
    module, for which every interpreter and environment is asked; any other is a command, for which new sessions
    of your shells are opened (they run your startup files), or a module if there is no such command. Exit code
    1 if one is not ready, in this session or in new ones.
    """
    if not names:
        _look_around(bench, as_json=as_json)
        return
    if len(names) > 1 and as_json:
        from unified_shell.core.errors import WordsOff

        raise WordsOff("--json tells of one name at a time", next_step=f"ush look {typed(names[0])} --json")
    ready = [_look_at(bench, name, as_json=as_json, more=name != names[-1]) for name in names]
    if not all(ready):
        click.get_current_context().exit(1)


def _look_at(bench: Workbench, name: str, *, as_json: bool, more: bool) -> bool:
    """Look at one name and tell whether it is ready; with `more` to come, a line is left free after it."""
    if name.startswith("module:"):
        ready = _look_for_module(bench, name.removeprefix("module:"), as_json=as_json)
    elif "/" in name or name in (".", ".."):
        ready = _look_at_place(bench, name, as_json=as_json)
    elif any(c in name for c in "*?["):
        ready = _look_for_pattern(bench, name, as_json=as_json)
    else:
        ready = _look_for_name(bench, name.removeprefix("command:"), as_json=as_json)
    if more:
        bench.screen.result("")
    return ready


def show_standing(bench: Workbench) -> None:
    """Show where this account stands, and the one next thing to do."""
    from unified_shell.views.look_view import print_standing

    print_standing(bench.screen, _survey(bench), bench.host.home)


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


def _look_for_name(bench: Workbench, name: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.states import State
    from unified_shell.core.verification.looking import look_at_name

    seen = look_at_name(name, bench.host, bench.locations)
    module = _module_of(bench, name) if seen.state is State.ABSENT else None
    told = module if module is not None and (module.holders or module.import_as) else None
    if as_json:
        from unified_shell.views.json_view import json_text

        fields = {one.name: getattr(seen.report, one.name) for one in dataclasses.fields(seen.report)}
        more = {
            "state": seen.state,
            "state_here": seen.report.state,
            "remedy": seen.remedy,
            "sessions": seen.sessions,
            "commands": seen.commands,
            "menu": seen.menu,
            "session_is_stale": seen.session_is_stale,
            "stale_programs": seen.stale_programs,
            "module": module,
        }
        bench.screen.result(json_text("name", {**fields, **more}))
    else:
        from unified_shell.views.look_view import print_look

        print_look(bench.screen, seen if told is None else dataclasses.replace(seen, remedy=""), bench.host.home)
        if told is not None:
            from unified_shell.views.module_view import print_module

            print_module(bench.screen, told, bench.host.home)
    return (seen if told is None else told).state is State.READY


def _module_of(bench: Workbench, name: str) -> "ModuleReport":
    from unified_shell.core.verification.module_states import look_for_module

    return look_for_module(name, bench.host, bench.locations)


def _look_for_module(bench: Workbench, name: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.states import State
    from unified_shell.views.json_view import json_text
    from unified_shell.views.module_view import print_module

    report = _module_of(bench, name)
    if as_json:
        bench.screen.result(json_text("module", report))
    else:
        print_module(bench.screen, report, bench.host.home)
    return report.state is State.READY


def _look_for_pattern(bench: Workbench, pattern: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.patterns import match_names
    from unified_shell.core.verification.managed import managed_places
    from unified_shell.views.json_view import json_text
    from unified_shell.views.look_view import print_matches

    found = match_names(pattern, bench.host, managed_places(bench.host, bench.locations))
    if as_json:
        bench.screen.result(json_text("names", found))
    else:
        print_matches(bench.screen, pattern, found, bench.host.home)
    return bool(found)


def _look_at_place(bench: Workbench, text: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.directories import look_at_place
    from unified_shell.core.errors import WordsOff
    from unified_shell.core.machine.executables import FileKind
    from unified_shell.core.verification.managed import belongs_to

    report = look_at_place(text, bench.host, bench.locations)
    owner, use = belongs_to(report.path, bench.host, bench.locations)
    report = dataclasses.replace(report, belongs_to=owner, remedy=use or report.remedy)
    if report.file_kind == FileKind.ABSENT.value:
        raise WordsOff(f"there is no {text!r}", next_step=f"ush look {typed(text.rstrip('/').rsplit('/', 1)[-1])}")
    if as_json:
        from unified_shell.views.json_view import json_text

        bench.screen.result(json_text("place", report))
    else:
        from unified_shell.views.look_view import print_place

        print_place(bench.screen, report, bench.host.home)
    return True
