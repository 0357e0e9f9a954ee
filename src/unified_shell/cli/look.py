"""`ush` and `ush look`."""

from typing import TYPE_CHECKING

import click
import msgspec

from unified_shell.core.next_steps import ush

from .context import Context, pass_context
from .parsing.abbreviations import ListCommand

if TYPE_CHECKING:
    from unified_shell.core.verification.modules.module_states import ModuleReport
    from unified_shell.core.verification.survey import Survey

__all__ = ["look", "show_standing"]


@click.command(cls=ListCommand)
@click.argument("names", nargs=-1, metavar="[NAME]...")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def look(context: Context, names: tuple[str, ...], *, as_json: bool) -> None:
    """Look at this session and machine, or at each NAME: a command, a directory, a file or a pattern.

    A NAME with a slash in it is a directory or file; one with `*`, `?` or `[` is a pattern; `module:NAME` is a
    module, for which every interpreter and environment is asked; any other is a command, for which new sessions
    of your shells are opened (they run your startup files), or a module if there is no such command. Exit code
    1 if one is not ready, in this session or in new ones.
    """
    if not names:
        _look_around(context, as_json=as_json)
        return
    if len(names) > 1 and as_json:
        from unified_shell.core.errors import UsageError

        raise UsageError("--json takes one name at a time", next_step=ush("look", names[0], "--json"))
    ready = [_look_at(context, name, as_json=as_json, more=name != names[-1]) for name in names]
    if not all(ready):
        click.get_current_context().exit(1)


def _look_at(context: Context, name: str, *, as_json: bool, more: bool) -> bool:
    """Look at one name and tell whether it is ready; with `more` to come, a line is left free after it."""
    if name.startswith("module:"):
        ready = _look_for_module(context, name.removeprefix("module:"), as_json=as_json)
    elif "/" in name or name in (".", ".."):
        ready = _look_at_place(context, name, as_json=as_json)
    elif any(c in name for c in "*?["):
        ready = _look_for_pattern(context, name, as_json=as_json)
    else:
        ready = _look_for_name(context, name.removeprefix("command:"), as_json=as_json)
    if more:
        context.screen.result("")
    return ready


def show_standing(context: Context) -> None:
    """Show where this account stands, and the one next thing to do."""
    from unified_shell.core.verification.standing import standing
    from unified_shell.views.look_view import print_standing

    print_standing(context.screen, standing(context.host, context.locations), context.host.home)


def _survey(context: Context) -> "Survey":
    from unified_shell.core.machine.session import read_session
    from unified_shell.core.verification.survey import survey

    session = read_session()
    shell = f"{session.shell} (login)" if session.is_login else session.shell
    return survey(context.host, context.locations, session_shell=shell, session_is_interactive=session.is_interactive)


def _look_around(context: Context, *, as_json: bool) -> None:
    seen = _survey(context)
    if as_json:
        from unified_shell.views.json_view import json_text

        context.screen.result(json_text("look", seen))
    else:
        from unified_shell.views.look_view import print_survey

        print_survey(context.screen, seen, context.host.home)


def _look_for_name(context: Context, name: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.states import State
    from unified_shell.core.shells.sessions.name_lookup import NameQuestion
    from unified_shell.core.shells.startup.own_shells import own_shells

    with NameQuestion(name, own_shells(context.host), context.host) as question:
        # Loaded while the sessions start: it takes as long as they do.
        from unified_shell.core.verification.names.looking import look_at_name

        seen = look_at_name(name, context.host, context.locations, question)
    module = _module_of(context, name) if seen.state is State.ABSENT else None
    told = module if module is not None and (module.holders or module.import_as) else None
    if as_json:
        from unified_shell.views.json_view import json_text

        fields = msgspec.structs.asdict(seen.report)
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
        context.screen.result(json_text("name", {**fields, **more}))
    else:
        from unified_shell.views.look_view import print_look

        print_look(
            context.screen, seen if told is None else msgspec.structs.replace(seen, remedy=""), context.host.home
        )
        if told is not None:
            from unified_shell.views.module_view import print_module

            print_module(context.screen, told, context.host.home)
    return (seen if told is None else told).state is State.READY


def _module_of(context: Context, name: str) -> "ModuleReport":
    from unified_shell.core.verification.modules.module_states import look_for_module

    return look_for_module(name, context.host, context.locations)


def _look_for_module(context: Context, name: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.states import State
    from unified_shell.views.json_view import json_text
    from unified_shell.views.module_view import print_module

    report = _module_of(context, name)
    if as_json:
        context.screen.result(json_text("module", report))
    else:
        print_module(context.screen, report, context.host.home)
    return report.state is State.READY


def _look_for_pattern(context: Context, pattern: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.patterns import match_names
    from unified_shell.core.verification.names.managed_places import managed_places
    from unified_shell.views.json_view import json_text
    from unified_shell.views.look_view import print_matches

    found = match_names(pattern, context.host, managed_places(context.host, context.locations))
    if as_json:
        context.screen.result(json_text("names", found))
    else:
        print_matches(context.screen, pattern, found, context.host.home)
    return bool(found)


def _look_at_place(context: Context, text: str, *, as_json: bool) -> bool:
    from unified_shell.core.commands.directories import look_at_place
    from unified_shell.core.errors import UsageError
    from unified_shell.core.machine.programs.executables import FileKind
    from unified_shell.core.verification.names.managed_places import belongs_to

    report = look_at_place(text, context.host, context.locations)
    owner, use = belongs_to(report.path, context.host, context.locations)
    report = msgspec.structs.replace(report, belongs_to=owner, remedy=use or report.remedy)
    if report.file_kind == FileKind.ABSENT.value:
        raise UsageError(f"there is no {text!r}", next_step=ush("look", text.rstrip("/").rsplit("/", 1)[-1]))
    if as_json:
        from unified_shell.views.json_view import json_text

        context.screen.result(json_text("place", report))
    else:
        from unified_shell.views.look_view import print_place

        print_place(context.screen, report, context.host.home)
    return True
