"""`ush interpreter`."""

import click

from .beginnings import VerbGroup
from .performing import How, change_options, perform
from .workbench import Workbench, pass_bench

__all__ = ["interpreter"]


@click.group(cls=VerbGroup)
def interpreter() -> None:
    """Python interpreters: found on this machine, and registered in place."""


@interpreter.command("list")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_interpreters(bench: Workbench, *, as_json: bool) -> None:
    """List the interpreters of this machine, each started once, and those that were adopted."""
    from unified_shell.core.interpreters.adopted import read_adopted
    from unified_shell.core.interpreters.discovery import find_interpreters
    from unified_shell.core.machine.places import shown
    from unified_shell.views.interpreter_view import print_interpreters
    from unified_shell.views.json_view import json_text
    from unified_shell.views.tables import heading, print_table

    found, adopted = find_interpreters(bench.host), read_adopted(bench.locations)
    if as_json:
        bench.screen.result(json_text("interpreters", {"found": found, "adopted": adopted}))
        return
    heading(bench.screen, "Found on this machine")
    print_interpreters(bench.screen, found, bench.host.home)
    heading(bench.screen, "\nAdopted")
    rows = [(one.name, one.version, shown(one.executable, bench.host.home)) for one in adopted]
    if rows:
        print_table(bench.screen, ("name", "version", "where"), rows, indent=2)
    else:
        bench.screen.result("  none; a path can be given wherever an interpreter is asked for")


@interpreter.command()
@click.argument("path")
@click.option("--name", default="", help="What to call it; its version, if not given.")
@change_options
@pass_bench
def adopt(bench: Workbench, path: str, name: str, *, how: How) -> None:
    """Register the interpreter at PATH, an executable or its folder; nothing of it is changed."""
    from unified_shell.core.interpreters.adopting import plan_adopt

    perform(bench, lambda: plan_adopt(path, name, bench.host, bench.locations), how)


@interpreter.command()
@click.argument("name")
@change_options
@pass_bench
def drop(bench: Workbench, name: str, *, how: How) -> None:
    """Forget the adopted interpreter NAME; it stays where it is."""
    import os

    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.known import list_environments
    from unified_shell.core.interpreters.adopted import read_adopted
    from unified_shell.core.interpreters.adopting import plan_forget

    def make() -> Change:
        real = {one.name: os.path.realpath(one.executable) for one in read_adopted(bench.locations)}.get(name)
        on_it = [one.name for one in list_environments(bench.locations) if one.contents.interpreter == real]
        return plan_forget(name, bench.host, bench.locations, on_it)

    perform(bench, make, how)
