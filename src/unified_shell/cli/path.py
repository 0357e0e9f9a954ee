"""`ush path`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .options.sides import side_options
from .parsing.abbreviations import ListCommand, VerbGroup

if TYPE_CHECKING:
    from unified_shell.core.shells.dialects.dialect import Dialect, Mode
    from unified_shell.core.shells.wiring.wiring import Wiring

__all__ = ["path"]

in_environment = click.option(
    "-e", "--environment", "environment", default="", help="Only while this environment is entered."
)
on_variable = click.option(
    "--variable", default="PATH", show_default=True, help="The search path, such as PYTHONPATH."
)


with_condition = click.option(
    "--when", default="", metavar="CONDITION", help="interactive, login, host:NAME or architecture:NAME."
)


@click.group(cls=VerbGroup)
def path() -> None:
    """Directories on PATH and other search paths in new sessions."""


@path.command("list", cls=ListCommand)
@click.option("--shell", "shell", default="", help="The shell [default: yours].")
@click.option("--login", is_flag=True, help="In a login session, not in one that a terminal window opens.")
@click.option("--session", "source", flag_value="session", help="In this session; opens no new one.")
@click.option(
    "--registry", "source", flag_value="registry", help="On Windows: as the registry gives it to new programs."
)
@click.option(
    "--registry-file",
    default="",
    metavar="FILE",
    help="Write the wiring as a registry file for Windows; list nothing.",
)
@on_variable
@in_environment
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_entries(
    context: Context,
    shell: str,
    *,
    login: bool,
    source: str | None,
    registry_file: str,
    variable: str,
    environment: str,
    as_json: bool,
) -> None:
    """List PATH in a new session, entry by entry: its commands, what it hides, and the file and line that put it there."""
    from unified_shell.core.shells.tracing.path_report import report_path
    from unified_shell.core.shells.wiring.wiring import read_wiring
    from unified_shell.views.json_view import json_text
    from unified_shell.views.path_view import print_own_paths, print_path, print_session_path

    if environment:
        own = context.own_wiring(environment).environment.contents.wiring
        print_own_paths(context.screen, environment, own, context.host.home, as_json=as_json)
        return
    wiring = read_wiring(context.locations)
    if registry_file:
        _write_registry_file(context, registry_file, wiring)
        return
    if source == "registry":
        _in_registry(context, variable, wiring, as_json=as_json)
        return
    if source == "session":
        print_session_path(context.screen, context.host.search_path(), wiring, context.host.home, as_json=as_json)
        return
    dialect, mode = _asked(context, shell, login=login)
    again = ", and another to trace it; both run" if variable == "PATH" else "; it runs"
    context.screen.say(f"Opens a new session of {dialect.name}{again} your startup files.")
    report = report_path(dialect, mode, context.host, context.locations, variable)
    if as_json:
        context.screen.result(json_text("path", {"report": report, "wiring": wiring.entries}))
    else:
        print_path(context.screen, report, wiring, context.host.home, variable)
    if report.trouble and not report.entries:
        click.get_current_context().exit(1)


@path.command()
@click.argument("directory")
@side_options("In front of everything else.", "Behind everything else.")
@click.option("--before", default="", metavar="DIR", help="Directly before DIR, another entry of the wiring.")
@with_condition
@on_variable
@in_environment
@for_whom
@change_options
@pass_context
def add(
    context: Context,
    directory: str,
    *,
    side: str | None,
    before: str,
    when: str,
    variable: str,
    environment: str,
    how: ChangeOptions,
) -> None:
    """Put DIRECTORY on a search path in new sessions, once: wiring, session file and startup file in one plan.

    A directory that is already there is moved if --front, --back or --before is given.
    """
    from unified_shell.core.shells.dialects.dialect import Side
    from unified_shell.core.shells.planning.search_paths import PathRequest, plan_path_add
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    request = PathRequest(
        directory=directory,
        variable=variable,
        side=Side(side or "front"),
        before=before,
        when=when,
        outermost=side is not None,
    )
    if environment:
        perform(context, lambda: context.own_wiring(environment).plan_path_add(request), how)
        return
    perform(
        context,
        lambda: plan_path_add(request, chosen_shells(context.host), context.host, context.locations_for(how.scope)),
        how,
    )


@path.command()
@click.argument("directory")
@on_variable
@in_environment
@for_whom
@change_options
@pass_context
def drop(context: Context, directory: str, *, variable: str, environment: str, how: ChangeOptions) -> None:
    """Remove DIRECTORY from a search path in new sessions.

    An entry of the wiring is dropped there; a line of your own that does nothing but put it on PATH is commented out.
    """
    from unified_shell.core.shells.planning.search_paths import plan_path_drop
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    if environment:
        perform(context, lambda: context.own_wiring(environment).plan_path_drop(directory, variable), how)
        return
    perform(
        context,
        lambda: plan_path_drop(
            directory, variable, chosen_shells(context.host), context.host, context.locations_for(how.scope)
        ),
        how,
    )


@path.command()
@change_options
@pass_context
def tidy(context: Context, *, how: ChangeOptions) -> None:
    """Clean up dead and duplicate entries: drop them from the wiring, comment out your own lines."""
    from unified_shell.core.shells.planning.tidying import plan_tidy
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    context.screen.say("Opens and traces new sessions of your shells; they run your startup files.")
    perform(context, lambda: plan_tidy(chosen_shells(context.host), context.host, context.locations), how)


def _write_registry_file(context: Context, file: str, wiring: "Wiring") -> None:
    """Write the file; raises Refused where another sort of file is there."""
    from unified_shell.core.errors import CouldNot, Refused, os_error_text
    from unified_shell.core.machine.files.durable import FileMode, read_file, replace_file
    from unified_shell.core.machine.places import join
    from unified_shell.core.machine.registry.registry_text import parse_registry_text
    from unified_shell.core.shells.wiring.registry_wiring import registry_export

    place = join(context.host.working_directory, file)
    try:
        there = read_file(place)
        if there is not None:
            parse_registry_text(there[0])
        replace_file(
            place, registry_export(wiring, context.host, context.locations.scope), FileMode(), beside=f"{place}.part"
        )
    except ValueError as error:
        raise Refused(
            f"{file} is there already, and is not a registry file", next_step="choose another name"
        ) from error
    except OSError as error:
        raise CouldNot(
            f"{file} cannot be written: {os_error_text(error)}", next_step="choose another name"
        ) from error
    context.screen.result(f"Wrote {file}. On Windows, open it, or type: reg import {file}")


def _in_registry(context: Context, variable: str, wiring: "Wiring", *, as_json: bool) -> None:
    from unified_shell.core.errors import CouldNot
    from unified_shell.core.machine.registry.registry import registry_of
    from unified_shell.core.shells.wiring.registry_wiring import registry_entries
    from unified_shell.views.json_view import json_text
    from unified_shell.views.path_view import print_registry_path

    if registry_of(context.host) is None:
        raise CouldNot("there is no registry on this system", next_step=ush("path", "list"))
    entries = registry_entries(variable, context.host)
    if as_json:
        context.screen.result(json_text("registry path", {"variable": variable, "entries": entries}))
    else:
        print_registry_path(context.screen, variable, entries, wiring)


def _asked(context: Context, shell: str, *, login: bool) -> "tuple[Dialect, Mode]":
    from unified_shell.core.errors import CouldNot
    from unified_shell.core.shells.dialects.dialect import Mode
    from unified_shell.core.shells.dialects.table import dialect_named
    from unified_shell.core.shells.sessions.shell_programs import find_program
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    dialect = dialect_named(shell) if shell else chosen_shells(context.host)[0]
    if find_program(dialect, context.host) is None:
        raise CouldNot(f"{dialect.name} is not on this machine", next_step=ush("look", why="the shells that are"))
    return dialect, Mode.LOGIN if login else Mode.INTERACTIVE
