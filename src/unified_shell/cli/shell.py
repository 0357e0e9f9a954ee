"""`ush shell`."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import click

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup

if TYPE_CHECKING:
    from unified_shell.core.shells.dialects.dialect import Dialect

__all__ = ["shell"]


@click.group(cls=VerbGroup)
def shell() -> None:
    """Startup files, and the hook-up that makes them read the wiring."""


@shell.command("list", cls=ListCommand)
@click.option("--cost", is_flag=True, help="Also time each file, by running it alone several times.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_shells(context: Context, *, cost: bool, as_json: bool) -> None:
    """List each shell's startup files: when each is read, which edit paths, which have the hook-up."""
    from unified_shell.core.shells.dialects.dialect import Mode
    from unified_shell.core.shells.dialects.table import DIALECTS
    from unified_shell.core.shells.sessions.command_sessions import what_commands_read
    from unified_shell.core.shells.sessions.shell_programs import find_program
    from unified_shell.core.shells.startup.startup_costs import FileCost, measure_costs
    from unified_shell.core.shells.startup.startup_files import hook_file, read_startup_states
    from unified_shell.core.shells.wiring.wiring import read_wiring
    from unified_shell.views.json_view import json_text
    from unified_shell.views.shell_view import print_command_sessions, print_session_scripts, print_startup_files

    present = [dialect for dialect in DIALECTS if find_program(dialect, context.host)]
    states = [state for dialect in present for state in read_startup_states(dialect, context.host)]
    costs: dict[str, FileCost] = {}
    for dialect in present if cost else ():
        paths = tuple(dict.fromkeys(one.path for one in states if one.shell == dialect.name and one.is_read))
        costs |= {f"{dialect.name}\0{one.path}": one for one in measure_costs(dialect, paths, context.host)}
    if as_json:
        scripts = read_wiring(context.locations).scripts
        body = {
            "files": states,
            "scripts": scripts,
            "costs": [{"shell": key.split("\0")[0], "cost": one} for key, one in costs.items()],
        }
        context.screen.result(json_text("startup files", body))
    else:
        unverified = [one.name for one in DIALECTS if not one.verified]
        hooks = [hook_file(dialect, mode, context.host) for dialect in present for mode in Mode]
        targets = {(one.shell, str(one.path)) for one in hooks if one is not None}
        scripts = read_wiring(context.locations).scripts
        print_startup_files(
            context.screen, states, costs, targets=targets, unverified=unverified, home=context.host.home
        )
        print_session_scripts(context.screen, scripts, context.host.home)
        told = [(one.name, *what_commands_read(one, context.locations, context.host)) for one in present]
        print_command_sessions(context.screen, [one for one in told if one[1]])


@shell.command()
@click.argument("names", nargs=-1, metavar="[SHELL]...")
@click.option("--script", default="", metavar="FILE", help="Also source this script in new sessions.")
@click.option("--dialect", default="", help="The dialect of FILE [default: detected].")
@click.option("--completion", is_flag=True, help="Tab completes the words of ush, and the names of what is here.")
@click.option("--manual", is_flag=True, help="Let man find the manual pages: man ush, man ush-path.")
@click.option("--at-end", is_flag=True, help="Move the hook-up to the end of the startup files.")
@for_whom
@change_options
@pass_context
def wire(
    context: Context,
    names: tuple[str, ...],
    *,
    script: str,
    dialect: str,
    completion: bool,
    manual: bool,
    at_end: bool,
    how: ChangeOptions,
) -> None:
    """Hook the wiring into the startup files of SHELL [default: yours]."""
    from unified_shell.core.shells.planning.completion import plan_completion
    from unified_shell.core.shells.planning.session_scripts import plan_script_add
    from unified_shell.core.shells.planning.wiring_shells import plan_wire
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    shells, locations = chosen_shells(context.host, _dialects(names)), context.locations_for(how.scope)
    if script:
        perform(context, lambda: plan_script_add(script, dialect, shells, context.host, locations), how)
        return
    if manual:
        from unified_shell import __version__
        from unified_shell.core.shells.planning.manual import plan_manual

        from .main import ush as top
        from .manual.man_pages import man_pages

        pages = man_pages(top, __version__)
        perform(context, lambda: plan_manual(pages, shells, context.host, locations), how)
        return
    if completion:
        perform(context, lambda: plan_completion(shells, context.host, locations), how)
        return
    perform(context, lambda: plan_wire(shells, context.host, locations, at_end=at_end), how)


@shell.command()
@click.argument("names", nargs=-1, metavar="[SHELL]...")
@click.option("--script", default="", metavar="FILE", help="Only stop sourcing this script in new sessions.")
@click.option("--completion", is_flag=True, help="Only stop completing the words of ush.")
@click.option("--manual", is_flag=True, help="Only take away the manual pages.")
@for_whom
@change_options
@pass_context
def unwire(
    context: Context, names: tuple[str, ...], *, script: str, completion: bool, manual: bool, how: ChangeOptions
) -> None:
    """Remove the hook-up from the startup files of SHELL [default: all], and nothing else."""
    from unified_shell.core.shells.dialects.table import DIALECTS
    from unified_shell.core.shells.planning.completion import plan_completion_drop
    from unified_shell.core.shells.planning.session_scripts import plan_script_drop
    from unified_shell.core.shells.planning.wiring_shells import plan_unwire
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    shells, locations = _dialects(names) or DIALECTS, context.locations_for(how.scope)
    if script:
        own = chosen_shells(context.host, _dialects(names))
        perform(context, lambda: plan_script_drop(script, own, context.host, locations), how)
        return
    if completion:
        own = chosen_shells(context.host, _dialects(names))
        perform(context, lambda: plan_completion_drop(own, context.host, locations), how)
        return
    if manual:
        from unified_shell.core.shells.planning.manual import plan_manual_drop

        own = chosen_shells(context.host, _dialects(names))
        perform(context, lambda: plan_manual_drop(own, context.host, locations), how)
        return
    perform(context, lambda: plan_unwire(shells, context.host, locations), how)


def _dialects(names: Sequence[str]) -> "tuple[Dialect, ...]":
    from unified_shell.core.shells.dialects.table import dialect_named

    return tuple(dialect_named(name) for name in names)
