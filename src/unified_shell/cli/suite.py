"""`ush suite`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup
from .verbs.suite_get import adopt, get, refresh
from .verbs.suite_trial import try_suite

if TYPE_CHECKING:
    from unified_shell.core.changes.plan import Change

__all__ = ["suite"]


@click.group(cls=VerbGroup)
def suite() -> None:
    """Software that is no Python package: got from a description, built where needed, wired, tried."""


suite.add_command(get)
suite.add_command(adopt)
suite.add_command(refresh)
suite.add_command(try_suite)


@suite.command("list", cls=ListCommand)
@click.argument("word", default="")
@click.option("--category", default="", help="Only suites in this category.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_suites(context: Context, *, word: str, category: str, as_json: bool) -> None:
    """List the suites that are here, and those that catalogs offer; with WORD what names it."""
    from unified_shell.core.suites.suite_list import list_all_suites
    from unified_shell.views.json_view import json_text
    from unified_shell.views.suite_view import print_suites

    rows, faults = list_all_suites(context.host, context.locations, context.fetcher, word=word, category=category)
    if as_json:
        context.screen.result(json_text("suites", {"items": rows, "faults": faults}))
    else:
        print_suites(context.screen, rows, asked=word or category)
    for fault in faults:
        context.screen.say(fault)
    if faults:
        click.get_current_context().exit(1)


@suite.command(cls=ListCommand)
@click.argument("name")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def show(context: Context, name: str, *, as_json: bool) -> None:
    """Show a suite: where it came from, what it offers, what is wired."""
    from unified_shell.core.shells.wiring.wiring import read_wiring
    from unified_shell.core.suites.managed_suites import find_suite
    from unified_shell.core.suites.suite_offers import commands_of
    from unified_shell.core.suites.trials.evidence import read_evidence
    from unified_shell.views.json_view import json_text
    from unified_shell.views.suite_view import print_suite
    from unified_shell.views.trial_view import print_evidence

    found = find_suite(name, context.host, context.locations)
    commands = commands_of(found.offered)
    wired = [one.directory for one in read_wiring(context.locations).entries]
    trials = read_evidence(found, context.locations)
    if as_json:
        context.screen.result(json_text("suite", {"suite": found, "commands": commands, "trials": trials}))
    else:
        print_suite(context.screen, found, commands, wired, context.host.home)
        print_evidence(context.screen, trials)
        context.screen.next(ush("suite", "try", name) if found.description.trial else ush("verify", f"suite:{name}"))


@suite.command()
@click.argument("name")
@click.option("--even-if-needed", is_flag=True, help="Even if another suite needs it.")
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, even_if_needed: bool, how: ChangeOptions) -> None:
    """Remove a suite that ush installed, and take what leads into it out of new sessions; one that was adopted is only
    forgotten.
    """
    from unified_shell.core.suites.adopting import plan_forget_suite
    from unified_shell.core.suites.managed_suites import find_suite
    from unified_shell.core.suites.suite_plans import plan_drop_suite

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        found = find_suite(name, context.host, locations)
        if found.adopted and found.scope is locations.scope:
            return plan_forget_suite(found, context.host, locations, consent=even_if_needed)
        return plan_drop_suite(found, context.host, locations, consent=even_if_needed)

    perform(context, make, how)
