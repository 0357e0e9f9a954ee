"""`ush store`."""

import sys

import click

from .change_flow import ChangeOptions, change_options, check_rights_for, for_whom, perform
from .context import Context, pass_context
from .parsing.abbreviations import ListCommand, VerbGroup

__all__ = ["store"]


@click.group(cls=VerbGroup)
def store() -> None:
    """The unpacked packages that environments share."""


@store.command(cls=ListCommand)
@click.option("--thorough", is_flag=True, help="Compare contents, not only size and time.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@for_whom
@pass_context
def show(context: Context, *, thorough: bool, scope: str, as_json: bool) -> None:
    """Show the store's contents, their sizes and users. Exit code 1 if an entry was modified."""
    from unified_shell.core.environments.upkeep.downloads import read_downloads
    from unified_shell.core.environments.upkeep.store_usage import read_store
    from unified_shell.views.json_view import json_text
    from unified_shell.views.store_view import print_store

    entries = read_store(context.locations_for(scope), thorough=thorough)
    downloads = read_downloads(context.locations_for(scope))
    if as_json:
        context.screen.result(json_text("store", {"items": entries, "downloads": downloads}))
    else:
        print_store(context.screen, entries, downloads, scope_words=context.locations_for(scope).scope_words)
    if any(one.damaged for one in entries):
        click.get_current_context().exit(1)


@store.command()
@click.option("-y", "--yes", is_flag=True, help="Go ahead without asking.")
@click.option("--plan", "only_plan", is_flag=True, help="Show what would be removed, and change nothing.")
@click.option("--downloads", "with_downloads", is_flag=True, help="Also remove downloaded files from the cache.")
@click.option("--json", "as_json", is_flag=True, help="Print what is unused, and what was freed, as JSON.")
@for_whom
@pass_context
def sweep(context: Context, *, yes: bool, only_plan: bool, with_downloads: bool, as_json: bool, scope: str) -> None:
    """Remove what no environment and no undo needs. It is downloaded again when needed."""
    from unified_shell.core.changes.locks import scope_lock
    from unified_shell.core.environments.upkeep.downloads import Downloads, read_downloads, sweep_downloads
    from unified_shell.core.environments.upkeep.store_usage import read_store, sweep_store
    from unified_shell.core.errors import Refused
    from unified_shell.core.machine.files.disks import shown_size
    from unified_shell.views.json_view import json_text
    from unified_shell.views.store_view import print_unused

    check_rights_for(scope)
    locations = context.locations_for(scope)
    unused = [one for one in read_store(locations) if one.is_unused]
    downloads = read_downloads(locations) if with_downloads else Downloads(files=0, size_bytes=0)
    told = {"entries": unused, "downloads": downloads, "freed_bytes": 0}
    if not as_json:
        print_unused(context.screen, unused, downloads)
    if not (unused or downloads.files) or only_plan:
        if as_json:
            context.screen.result(json_text("swept", told))
        return
    if not yes:
        if as_json:
            raise Refused("--json cannot ask; nothing was changed", again_with=("--yes",))
        if not sys.stdin.isatty():
            raise Refused("there is no terminal to ask at; nothing was changed", again_with=("--yes",))
        if not click.confirm("Go ahead?", default=True, err=True):
            click.get_current_context().exit(3)
    waiting = lambda holder: context.screen.say(f"waiting for: {holder}")  # noqa: E731 - one word for the lock
    with scope_lock(locations.data, locations.scope.value, words="store sweep", on_wait=waiting):
        # Meanwhile another one may have begun to use some of it.
        still = {one.sha256 for one in read_store(locations) if one.is_unused}
        freed = sweep_store([one for one in unused if one.sha256 in still], locations)
        if downloads.files:
            sweep_downloads(locations)
            freed += downloads.size_bytes
    if as_json:
        context.screen.result(json_text("swept", {**told, "freed_bytes": freed}))
        return
    context.screen.result(f"Done: {shown_size(freed)} are free again.")


@store.command()
@click.option("--thorough", is_flag=True, help="Compare contents, not only size and time.")
@for_whom
@change_options
@pass_context
def mend(context: Context, *, thorough: bool, how: ChangeOptions) -> None:
    """Repair modified store entries, in the store and in every environment that shares them."""
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.upkeep.store_repair import plan_mend
    from unified_shell.core.environments.upkeep.store_usage import read_store

    locations = context.locations_for(how.scope)

    def make() -> Change:
        damaged = [one for one in read_store(locations, thorough=thorough) if one.damaged]
        client = context.indexes_for(how.scope)
        return plan_mend(damaged, client, context.host, locations, progress=context.tell_progress)

    perform(context, make, how)
