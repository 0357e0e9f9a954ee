"""`ush outfit new` and `capture`: an outfit from a starter, or from this account."""

import os
import re

import click

from unified_shell.cli.change_flow import ChangeOptions, change_options, perform
from unified_shell.cli.context import Context, pass_context
from unified_shell.cli.parsing.abbreviations import CheckedCommand
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

from .outfit_context import equipping_of

__all__ = ["capture", "new"]


@click.command(cls=CheckedCommand)
@click.argument("file", default="outfit.toml")
@click.option("--name", default="", help="What the outfit is called [default: this account's name].")
@click.option("--no-lock", is_flag=True, help="Write no locks: equipping then takes what is newest.")
@change_options
@pass_context
def capture(context: Context, file: str, *, name: str, no_lock: bool, how: ChangeOptions) -> None:
    """Write this account down as an outfit: environments with what was asked for, suites, search paths and variables, also
    those of your own startup files. What could not be captured is listed.

    FILE is the outfit's file [default: outfit.toml]. Locks beside it hold the versions that are here.
    """
    from unified_shell.core.outfits.capture_plans import plan_capture
    from unified_shell.core.outfits.capturing import capture as captured_account
    from unified_shell.views.outfit_view import print_left_out

    host = context.host
    place = Place(os.path.normpath(join(host.working_directory, os.path.expanduser(file))))
    called = re.sub(r"[^A-Za-z0-9._-]+", "-", name or host.user_name).strip("-._") or "captured"
    with context.progress.shown("Capture"):
        captured = captured_account(called, host, context.locations)
        planned = plan_capture(captured, place, lambda outfit: equipping_of(context, place, outfit), lock=not no_lock)
    perform(context, lambda: planned.change, how)
    if not how.as_json:
        print_left_out(context.screen, planned.left_out)


@click.command(cls=CheckedCommand)
@click.argument("starter", default="")
@click.option("--into", default="outfit.toml", metavar="FILE", show_default=True, help="The outfit's file.")
@click.option("--name", "called", default="", help="What the study is called [default: the starter's name].")
@click.option("--package", "packages", multiple=True, metavar="REQUIREMENT", help="A package that it needs besides.")
@click.option("--json", "as_list", is_flag=True, help="List the starters as JSON.")
@click.option("-y", "--yes", is_flag=True, help="Write the file without asking.")
@pass_context
def new(
    context: Context, starter: str, *, into: str, called: str, packages: tuple[str, ...], as_list: bool, yes: bool
) -> None:
    """Begin an outfit from the starter STARTER, or list the starters: what each brings, its download and disk, and what can
    be started afterwards. At a terminal, choose one and say what else the study needs.
    """
    from functools import partial

    from unified_shell.core.outfits.new_plans import plan_new_outfit
    from unified_shell.core.outfits.starters import starters
    from unified_shell.views.json_view import json_text
    from unified_shell.views.outfit_view import choose_starter, print_starters

    if as_list:
        context.screen.result(json_text("starters", {"items": starters()}))
        return
    if not starter:
        print_starters(context.screen, starters())
        if not context.screen.has_person:
            context.screen.next(ush("outfit", "new", "STARTER"))
            return
        starter, called, packages = choose_starter(starters())
    place = Place(os.path.normpath(join(context.host.working_directory, os.path.expanduser(into))))
    how = ChangeOptions(yes=yes, only_plan=False, as_json=False, strict=False)
    make = partial(plan_new_outfit, starter, place, context.host, context.locations, called=called, packages=packages)
    perform(context, make, how)
