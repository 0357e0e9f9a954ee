"""`ush catalog`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup

if TYPE_CHECKING:
    from unified_shell.core.catalogs.address_book import NamedAddress
    from unified_shell.core.catalogs.reading import Listed

__all__ = ["catalog"]


@click.group(cls=VerbGroup)
def catalog() -> None:
    """The folders and URLs that describe how to obtain interpreters and suites."""


@catalog.command("list", cls=ListCommand)
@click.argument("word", default="")
@click.option("--language", default="", help="Only offers for this language.")
@click.option("--category", default="", help="Only offers in this category.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_catalogs(context: Context, *, word: str, language: str, category: str, as_json: bool) -> None:
    """List the catalogs in the order in which they are asked, and what they offer; with WORD what names it.

    Exit code 1 if one cannot be read.
    """
    from unified_shell.core.catalogs.reading import read_catalog
    from unified_shell.core.catalogs.registered import CATALOGS
    from unified_shell.core.errors import UshError
    from unified_shell.core.interpreters.getting.offered import OfferFilter, offers_of
    from unified_shell.core.interpreters.managed import all_managed
    from unified_shell.views.catalog_view import print_offers
    from unified_shell.views.json_view import json_text

    catalogs = CATALOGS.read_all(context.host, context.locations)
    listed: list[Listed] = []
    faults: list[str] = []
    for one in catalogs:
        try:
            read = read_catalog(one, context.fetcher)
        except UshError as error:
            faults.append(f"{one.name}: {error}")
            continue
        listed += read.listed
        faults += [f"{one.name}: {fault}" for fault in read.faults]
    request = OfferFilter(language=language, category=category, word=word)
    offers = offers_of(listed, all_managed(context.host, context.locations), request, context.host.platform)
    if as_json:
        rows = [{"name": one.name, "address": one.shown} for one in catalogs]
        context.screen.result(json_text("catalogs", {"items": rows, "offers": offers, "faults": faults}))
    elif not catalogs:
        context.screen.result("No catalog is named yet.")
        context.screen.next(ush("catalog", "add", "NAME", "ADDRESS"))
    else:
        print_offers(context.screen, catalogs, offers, faults)
    if faults:
        click.get_current_context().exit(1)


@catalog.command(cls=ListCommand)
@click.argument("name")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def show(context: Context, name: str, *, as_json: bool) -> None:
    """Show what the catalog NAME offers, and every mistake in it. Exit code 1 if there is any."""
    from unified_shell.core.catalogs.reading import read_catalog
    from unified_shell.views.catalog_view import print_catalog
    from unified_shell.views.json_view import json_text

    read = read_catalog(_named(context, name), context.fetcher)
    if as_json:
        context.screen.result(json_text("catalog", read))
    else:
        print_catalog(context.screen, name, read)
    if read.faults:
        click.get_current_context().exit(1)


@catalog.command()
@click.argument("name")
@click.argument("address")
@for_whom
@change_options
@pass_context
def add(context: Context, name: str, address: str, *, how: ChangeOptions) -> None:
    """Add the catalog NAME: ADDRESS is a folder or URL with a catalog.toml."""
    from unified_shell.core.catalogs.address_changes import plan_address_add
    from unified_shell.core.catalogs.reading import why_unreadable
    from unified_shell.core.catalogs.registered import CATALOGS

    def ask(full: str) -> str:
        return why_unreadable(full, context.fetcher)

    locations = context.locations_for(how.scope)
    perform(context, lambda: plan_address_add(CATALOGS, name, address, context.host, locations, ask=ask), how)


@catalog.command()
@click.argument("name")
@for_whom
@change_options
@pass_context
def drop(context: Context, name: str, *, how: ChangeOptions) -> None:
    """Remove the catalog NAME; what was installed from it stays."""
    from unified_shell.core.catalogs.address_changes import plan_address_drop
    from unified_shell.core.catalogs.registered import CATALOGS

    locations = context.locations_for(how.scope)
    perform(context, lambda: plan_address_drop(CATALOGS, name, context.host, locations), how)


def _named(context: Context, name: str) -> "NamedAddress":
    from unified_shell.core.catalogs.registered import CATALOGS
    from unified_shell.core.errors import UnknownName

    known = {one.name: one for one in CATALOGS.read_all(context.host, context.locations)}
    if name not in known:
        raise UnknownName("catalog", name, known, next_step=ush("catalog", "list"))
    return known[name]
