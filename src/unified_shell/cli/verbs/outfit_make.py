"""`ush outfit capture`: this account as an outfit."""

import os
import re

import click

from unified_shell.cli.abbreviations import CheckedCommand
from unified_shell.cli.change_flow import ChangeOptions, change_options, perform
from unified_shell.cli.context import Context, pass_context
from unified_shell.core.machine.places import Place, join

from .outfit_context import equipping_of

__all__ = ["capture"]


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
