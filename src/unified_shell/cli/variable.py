"""`ush variable`."""

import click

from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup
from .path import in_environment, with_condition

__all__ = ["variable"]


@click.group(cls=VerbGroup)
def variable() -> None:
    """Variables in new sessions."""


@variable.command("list", cls=ListCommand)
@in_environment
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_variables(context: Context, *, environment: str, as_json: bool) -> None:
    """List the variables of the wiring, with what this session has."""
    from unified_shell.core.shells.wiring.wiring import read_wiring
    from unified_shell.views.json_view import json_text
    from unified_shell.views.terminal.tables import print_table

    own = context.own_wiring(environment).environment.contents.wiring if environment else None
    wanted = (own or read_wiring(context.locations)).variables
    here = context.host.environment()
    if as_json:
        rows = [
            {"name": one.name, "value": one.value, "when": one.when, "here": here.get(one.name)} for one in wanted
        ]
        context.screen.result(json_text("variables", rows))
    elif not wanted:
        context.screen.result("No variables yet.")
        context.screen.next(ush("variable", "add", "NAME", "VALUE", *(("-e", environment) if environment else ())))
    elif environment:
        rows_own = [(one.name, one.value) for one in wanted]
        print_table(context.screen, ("name", f"value while {environment} is entered"), rows_own)
    else:
        told = {True: "has it", False: "has another value"}
        rows_shown = [
            (
                one.name,
                one.value,
                one.when or "always",
                told[here[one.name] == one.value] if one.name in here else "not set",
            )
            for one in wanted
        ]
        print_table(context.screen, ("name", "value in new sessions", "when", "this session"), rows_shown)


@variable.command()
@click.argument("name")
@click.argument("value")
@with_condition
@in_environment
@for_whom
@change_options
@pass_context
def add(context: Context, name: str, value: str, *, when: str, environment: str, how: ChangeOptions) -> None:
    """Set the variable NAME to VALUE in new sessions."""
    from unified_shell.core.errors import UsageError
    from unified_shell.core.shells.dialects.dialect import SetVariable
    from unified_shell.core.shells.planning.variables import plan_variable_add
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    if environment and when:
        raise UsageError("an environment's own variables take no condition: they apply while it is entered")
    if environment:
        perform(context, lambda: context.own_wiring(environment).plan_variable_add(name, value), how)
        return
    perform(
        context,
        lambda: plan_variable_add(
            SetVariable(name=name, value=value, when=when),
            chosen_shells(context.host),
            context.host,
            context.locations_for(how.scope),
        ),
        how,
    )


@variable.command()
@click.argument("name")
@in_environment
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, environment: str, how: ChangeOptions) -> None:
    """Stop setting the variable NAME in new sessions."""
    from unified_shell.core.shells.planning.variables import plan_variable_drop
    from unified_shell.core.shells.startup.own_shells import chosen_shells

    if environment:
        perform(context, lambda: context.own_wiring(environment).plan_variable_drop(name), how)
        return
    perform(
        context,
        lambda: plan_variable_drop(name, chosen_shells(context.host), context.host, context.locations_for(how.scope)),
        how,
    )
