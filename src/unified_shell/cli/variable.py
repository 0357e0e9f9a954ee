"""`ush variable`."""

import click

from unified_shell.core.machine.places import typed

from .beginnings import VerbGroup
from .path import in_environment, with_condition
from .performing import How, change_options, for_whom, perform
from .workbench import Workbench, pass_bench

__all__ = ["variable"]


@click.group(cls=VerbGroup)
def variable() -> None:
    """Variables in new sessions."""


@variable.command("list")
@in_environment
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_variables(bench: Workbench, *, environment: str, as_json: bool) -> None:
    """List the variables of the wiring, with what this session has."""
    from unified_shell.core.shells.wiring import read_wiring
    from unified_shell.views.json_view import json_text
    from unified_shell.views.tables import print_table

    own = bench.own_wiring(environment).environment.contents.wiring if environment else None
    wanted = (own or read_wiring(bench.locations)).variables
    here = bench.host.environment()
    if as_json:
        rows = [
            {"name": one.name, "value": one.value, "when": one.when, "here": here.get(one.name)} for one in wanted
        ]
        bench.screen.result(json_text("variables", rows))
    elif not wanted:
        own_option = f" -e {typed(environment)}" if environment else ""
        bench.screen.result(f"No variable is wanted yet.\nNext: ush variable add NAME VALUE{own_option}")
    elif environment:
        rows_own = [(one.name, one.value) for one in wanted]
        print_table(bench.screen, ("name", f"value while {environment} is entered"), rows_own)
    else:
        told = {True: "has it", False: "has another value"}
        rows_shown = [
            (
                one.name,
                one.value,
                one.when or "always",
                told[here[one.name] == one.value] if one.name in here else "does not have it",
            )
            for one in wanted
        ]
        print_table(bench.screen, ("name", "value in new sessions", "when", "this session"), rows_shown)


@variable.command()
@click.argument("name")
@click.argument("value")
@with_condition
@in_environment
@for_whom
@change_options
@pass_bench
def add(bench: Workbench, name: str, value: str, *, when: str, environment: str, how: How) -> None:
    """Have the variable NAME with a VALUE in new sessions."""
    from unified_shell.core.errors import WordsOff
    from unified_shell.core.shells.dialects.dialect import SetVariable
    from unified_shell.core.shells.hookup import chosen_shells
    from unified_shell.core.shells.variables import plan_variable_add

    if environment and when:
        raise WordsOff("an environment's own variables have no condition: they hold while it is entered")
    if environment:
        perform(bench, lambda: bench.own_wiring(environment).plan_variable_add(name, value), how)
        return
    perform(
        bench,
        lambda: plan_variable_add(
            SetVariable(name=name, value=value, when=when),
            chosen_shells(bench.host),
            bench.host,
            bench.locations_for(how.scope),
        ),
        how,
    )


@variable.command()
@click.argument("name")
@in_environment
@for_whom
@change_options
@pass_bench
def drop(bench: Workbench, name: str, *, environment: str, how: How) -> None:
    """Set the variable NAME in new sessions no more."""
    from unified_shell.core.shells.hookup import chosen_shells
    from unified_shell.core.shells.variables import plan_variable_drop

    if environment:
        perform(bench, lambda: bench.own_wiring(environment).plan_variable_drop(name), how)
        return
    perform(
        bench,
        lambda: plan_variable_drop(name, chosen_shells(bench.host), bench.host, bench.locations_for(how.scope)),
        how,
    )
