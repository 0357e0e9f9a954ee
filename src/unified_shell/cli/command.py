"""`ush command`."""

import click

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup

__all__ = ["command"]


@click.group(cls=VerbGroup)
def command() -> None:
    """Prefer one of several candidates for a name, or install a single command."""


@command.command("list", cls=ListCommand)
@click.argument("pattern", default="")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_commands(context: Context, pattern: str, *, as_json: bool) -> None:
    """List preferred and installed commands; with a PATTERN, every matching name and its candidates."""
    from unified_shell.core.commands.patterns import match_names
    from unified_shell.core.commands.preferred import all_choices, links_folder
    from unified_shell.core.verification.names.managed_places import managed_places
    from unified_shell.views.command_view import print_choices, print_names
    from unified_shell.views.json_view import json_text

    choices = all_choices(context.host, context.locations)
    names = match_names(pattern, context.host, managed_places(context.host, context.locations)) if pattern else ()
    if as_json:
        context.screen.result(json_text("commands", {"choices": choices, "names": names}))
    elif pattern:
        folders = tuple(links_folder(context.locations_for(scope)) for scope in ("me", "everyone"))
        print_names(context.screen, pattern, names, choices, folders=folders, home=context.host.home)
    else:
        print_choices(context.screen, choices, context.host.home)
    if pattern and not names:
        click.get_current_context().exit(1)


@command.command()
@click.argument("name")
@click.argument("candidate")
@click.option("--only", is_flag=True, help="Only NAME, without the interpreter's other names.")
@for_whom
@change_options
@pass_context
def prefer(context: Context, name: str, candidate: str, *, only: bool, how: ChangeOptions) -> None:
    """Make NAME start CANDIDATE in new sessions; CANDIDATE is a path or the name of an interpreter or environment.

    An interpreter's other names and scripts follow as one unit, unless --only is given. No system file is touched.
    """
    from unified_shell.core.environments.owned_commands import plan_prefer_named

    locations = context.locations_for(how.scope)
    perform(context, lambda: plan_prefer_named(name, candidate, context.host, locations, only=only), how)


@command.command()
@click.argument("name")
@click.option(
    "--from", "source", default="", metavar="DISTRIBUTION", help="The distribution that provides it [default: NAME]."
)
@click.option("--interpreter", "wanted", default="", help="A path, name or version [default: the session's].")
@for_whom
@change_options
@pass_context
def get(context: Context, name: str, source: str, wanted: str, *, how: ChangeOptions) -> None:
    """Install the command NAME from a Python distribution, in its own environment."""
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.command_environments import hidden_name, plan_get_command
    from unified_shell.core.environments.packages.requests import parse_request
    from unified_shell.core.interpreters.adopting import choose_interpreter
    from unified_shell.core.verification.packages.package_checks import with_whole_environment

    request = parse_request(source or name)
    facts = choose_interpreter(wanted, context.host, context.locations)
    locations = context.locations_for(how.scope)
    client = context.indexes_for(how.scope)

    def make() -> Change:
        change = plan_get_command(name, request, facts, client, host=context.host, locations=locations)
        return with_whole_environment(change, hidden_name(name), context.host, locations)

    perform(context, make, how)


@command.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def refresh(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Update the distribution that provides NAME, or pick up new scripts of a preferred interpreter."""
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.commands.preferring import find_choice
    from unified_shell.core.environments.command_environments import plan_refresh_command
    from unified_shell.core.environments.owned_commands import plan_prefer_named
    from unified_shell.core.verification.packages.package_checks import with_whole_environment

    locations = context.locations_for(how.scope)

    def make() -> Change:
        choice = find_choice(name, context.host, locations)
        if choice.environment:
            change = plan_refresh_command(choice, context.indexes_for(how.scope), context.host, locations)
            return with_whole_environment(change, choice.environment, context.host, locations)
        return plan_prefer_named(name, choice.candidate, context.host, locations)

    perform(context, make, how)


@command.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Remove the preference or the installed command NAME; the previous candidate answers again."""
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.commands.preferring import find_choice
    from unified_shell.core.environments.command_environments import plan_drop_command

    locations = context.locations_for(how.scope)

    def make() -> Change:
        return plan_drop_command(find_choice(name, context.host, locations), context.host, locations)

    perform(context, make, how)
