"""`ush outfit plan` and `equip`."""

from typing import TYPE_CHECKING

import click

from unified_shell.cli.abbreviations import CheckedCommand
from unified_shell.cli.change_flow import ChangeOptions, change_options, check_rights_for, perform
from unified_shell.cli.context import Context, pass_context

if TYPE_CHECKING:
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.outfits.equipping import Equipping

__all__ = ["equip", "plan"]

which = click.argument("file", default="")
accept = click.option("--accept", "accepted", multiple=True, metavar="NAME", help="Accept the licence of NAME.")


@click.command(cls=CheckedCommand)
@which
@click.option("--json", "as_json", is_flag=True, help="Print the plan as JSON.")
@pass_context
def plan(context: Context, file: str, *, as_json: bool) -> None:
    """Say what this machine lacks of an outfit, and what was changed since it was equipped; change nothing.

    FILE is an outfit or its folder [default: outfit.toml here]. Exit code 1 if anything differs.
    """
    import msgspec

    from unified_shell.core.outfits.drift import drift_of
    from unified_shell.core.outfits.equipping import plan_equip
    from unified_shell.views.json_view import json_text
    from unified_shell.views.outfit_view import print_drift
    from unified_shell.views.plan_view import print_plan

    equipping = _equipping(context, file, ())
    first = _interpreter_first(context, equipping)
    with context.progress.shown("Compare"):
        found = first or plan_equip(equipping)
        drift = () if first else drift_of(equipping)
    if as_json:
        fields = {"words": "", **msgspec.structs.asdict(found.plan), "drift": drift}
        context.screen.result(json_text("outfit-plan", fields))
    else:
        if found.plan.nothing_to_do:
            context.screen.result(f"{found.plan.nothing_to_do}.")
        else:
            print_plan(context.screen, found.plan, in_full=True)
        print_drift(context.screen, drift)
    if drift or not found.plan.nothing_to_do:
        click.get_current_context().exit(1)


@click.command(cls=CheckedCommand)
@which
@accept
@change_options
@pass_context
def equip(context: Context, file: str, *, accepted: tuple[str, ...], how: ChangeOptions) -> None:
    """Give this machine all that an outfit names and it lacks: one plan, one consent, one change that can be undone.

    FILE is an outfit or its folder [default: outfit.toml here]. An interpreter that has to be installed first is a change of
    its own. Afterwards the outfit's checks are carried out, and the trials of its suites.
    """
    from msgspec.structs import replace

    from unified_shell.core.outfits.equipped_checks import checked_afterwards
    from unified_shell.core.outfits.equipping import plan_equip

    equipping = _equipping(context, file, accepted)
    how = replace(how, scope=equipping.outfit.scope)
    check_rights_for(how.scope)
    first = _interpreter_first(context, equipping)
    if first is not None:
        perform(context, lambda: _interpreter_first(context, equipping) or first, how)
        if how.only_plan:
            return

    def make() -> "Change":
        fresh = _equipping(context, file, accepted)
        return checked_afterwards(plan_equip(fresh), fresh)

    perform(context, make, how)


def _equipping(context: Context, file: str, accepted: tuple[str, ...]) -> "Equipping":
    from unified_shell.core.catalogs.address_book import NamedAddress
    from unified_shell.core.catalogs.reading import find_described
    from unified_shell.core.catalogs.registered import CATALOGS
    from unified_shell.core.indexes.client import IndexClient
    from unified_shell.core.indexes.registered import INDEXES
    from unified_shell.core.outfits.equipping import Equipping, address_of
    from unified_shell.core.outfits.outfit_files import read_outfit
    from unified_shell.core.transfers.addresses import address_of_folder, is_web_address

    place, outfit = read_outfit(file, context.host)
    locations = context.locations_for(outfit.scope)
    folder = place.rpartition("/")[0]

    def named(pairs: tuple[tuple[str, str], ...]) -> list[NamedAddress]:
        found = [(name, address_of(url, folder)) for name, url in pairs]
        return [
            NamedAddress(name=name, address=url if is_web_address(url) else address_of_folder(url))
            for name, url in found
        ]

    indexes = {one.name: one for one in (*named(outfit.indexes), *INDEXES.read_all(context.host, locations))}
    catalogs = {one.name: one for one in (*named(outfit.catalogs), *CATALOGS.read_all(context.host, locations))}
    return Equipping(
        outfit=outfit,
        place=place,
        host=context.host,
        locations=locations,
        client=IndexClient(tuple(indexes.values()), context.fetcher, locations.cache),
        fetcher=context.fetcher,
        find=lambda fits: find_described(list(catalogs.values()), context.fetcher, fits),
        accepted=accepted,
        progress=context.tell_progress,
    )


def _interpreter_first(context: Context, equipping: "Equipping") -> "Change | None":
    """Return the change that brings the outfit's interpreter, where this machine has none that fits."""
    from unified_shell.core.errors import UshError
    from unified_shell.core.interpreters.getting.get_plans import InterpreterRequest, plan_get

    wanted = equipping.outfit.interpreter
    if wanted.language != "python":
        return None
    try:
        equipping.facts()
    except UshError:
        request = InterpreterRequest(words=(wanted.language, wanted.version), accepted=equipping.accepted)
        return plan_get(
            request,
            equipping.find,
            context.fetcher,
            context.host,
            equipping.locations,
            progress=context.tell_progress,
        )
    return None
