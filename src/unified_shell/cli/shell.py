"""`ush shell`."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import click

from .beginnings import VerbGroup
from .performing import How, change_options, for_whom, perform
from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from unified_shell.core.shells.dialects.dialect import Dialect

__all__ = ["shell"]


@click.group(cls=VerbGroup)
def shell() -> None:
    """Startup files: which are read in which kind of session, and which read the wiring."""


@shell.command("list")
@click.option("--cost", is_flag=True, help="Time each file too: runs it several times, by itself.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_shells(bench: Workbench, *, cost: bool, as_json: bool) -> None:
    """List each shell's startup files: which are read when, which edit paths, which have the hook-up."""
    from unified_shell.core.shells.dialects import DIALECTS
    from unified_shell.core.shells.dialects.dialect import Mode
    from unified_shell.core.shells.sessions import find_program
    from unified_shell.core.shells.startup_costs import FileCost, measure_costs
    from unified_shell.core.shells.startup_files import hook_file, read_startup_states
    from unified_shell.views.json_view import json_text
    from unified_shell.views.shell_view import print_startup_files

    present = [dialect for dialect in DIALECTS if find_program(dialect, bench.host)]
    states = [state for dialect in present for state in read_startup_states(dialect, bench.host)]
    costs: dict[str, FileCost] = {}
    for dialect in present if cost else ():
        paths = tuple(dict.fromkeys(one.path for one in states if one.shell == dialect.name and one.is_read))
        costs |= {f"{dialect.name}\0{one.path}": one for one in measure_costs(dialect, paths, bench.host)}
    if as_json:
        body = {"files": states, "costs": [{"shell": key.split("\0")[0], "cost": one} for key, one in costs.items()]}
        bench.screen.result(json_text("startup files", body))
    else:
        unverified = [one.name for one in DIALECTS if not one.verified]
        hooks = [hook_file(dialect, mode, bench.host) for dialect in present for mode in Mode]
        targets = {(one.shell, str(one.path)) for one in hooks if one is not None}
        print_startup_files(bench.screen, states, costs, targets=targets, unverified=unverified, home=bench.host.home)


@shell.command()
@click.argument("names", nargs=-1, metavar="[SHELL]...")
@for_whom
@change_options
@pass_bench
def wire(bench: Workbench, names: tuple[str, ...], *, scope: str, how: How) -> None:
    """Let the startup files of SHELL (yours, if not given) read the wiring."""
    from unified_shell.core.shells.hookup import chosen_shells
    from unified_shell.core.shells.wiring_shells import plan_wire

    shells = chosen_shells(bench.host, _dialects(names))
    perform(bench, lambda: plan_wire(shells, bench.host, bench.locations_for(scope)), how, scope=scope)


@shell.command()
@click.argument("names", nargs=-1, metavar="[SHELL]...")
@for_whom
@change_options
@pass_bench
def unwire(bench: Workbench, names: tuple[str, ...], *, scope: str, how: How) -> None:
    """Take the hook-up out of the startup files of SHELL (all, if not given), and nothing else."""
    from unified_shell.core.shells.dialects import DIALECTS
    from unified_shell.core.shells.wiring_shells import plan_unwire

    shells = _dialects(names) or DIALECTS
    perform(bench, lambda: plan_unwire(shells, bench.host, bench.locations_for(scope)), how, scope=scope)


def _dialects(names: Sequence[str]) -> "tuple[Dialect, ...]":
    from unified_shell.core.shells.dialects import dialect_named

    return tuple(dialect_named(name) for name in names)
