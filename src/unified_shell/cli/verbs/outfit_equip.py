"""`ush outfit plan` and `equip`."""

from typing import TYPE_CHECKING

import click

from unified_shell.cli.change_flow import ChangeOptions, change_options, check_rights_for, perform
from unified_shell.cli.context import Context, pass_context
from unified_shell.cli.parsing.abbreviations import CheckedCommand

from .outfit_context import read_equipping, read_pack

if TYPE_CHECKING:
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.outfits.equipping import Equipping

__all__ = ["equip", "lock", "pack", "plan"]

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
    from unified_shell.core.outfits.whole_plans import plan_whole
    from unified_shell.views.json_view import json_text
    from unified_shell.views.outfit_view import print_drift
    from unified_shell.views.plan_view import print_plan

    equipping = read_equipping(context, file, ())
    with context.progress.shown("Compare"):
        found = plan_whole(equipping)
        drift = drift_of(equipping)
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
@click.option("--from", "pack", default="", metavar="PACK", help="Take all of it from a pack, without a network.")
@click.option("--drop-unnamed", is_flag=True, help="Take away what the outfit brought and no longer names.")
@accept
@change_options
@pass_context
def equip(
    context: Context, file: str, *, pack: str, drop_unnamed: bool, accepted: tuple[str, ...], how: ChangeOptions
) -> None:
    """Give this machine all that an outfit names and it lacks: one plan, one consent, one change that can be undone.

    FILE is an outfit or its folder [default: outfit.toml here]; a pack brings its own. Afterwards the outfit's checks are carried out, and the trials of its suites.
    """
    from msgspec.structs import replace

    from unified_shell.core.outfits.drift import drift_of
    from unified_shell.core.outfits.equipped_checks import checked_afterwards
    from unified_shell.core.outfits.whole_plans import plan_whole
    from unified_shell.views.outfit_view import print_drift

    def read() -> "Equipping":
        found = read_pack(context, pack, accepted) if pack else read_equipping(context, file, accepted)
        return replace(found, drops_unnamed=drop_unnamed)

    equipping = read()
    how = replace(how, scope=equipping.outfit.scope)
    check_rights_for(how.scope)

    def make() -> "Change":
        nonlocal equipping
        equipping = read()
        return checked_afterwards(plan_whole(equipping), equipping)

    perform(context, make, how)
    if not how.as_json:
        # What is lacking is here now; what somebody changed is not mended without being asked for.
        print_drift(context.screen, drift_of(equipping))


@click.command(cls=CheckedCommand)
@which
@click.option(
    "--target",
    "targets",
    multiple=True,
    metavar="TARGET",
    help="Also for another machine: linux-x86_64, macos-aarch64, windows-x86_64[,python=3.12,glibc=2.28].",
)
@click.option(
    "--refresh", "refreshed", multiple=True, metavar="NAME", help="Let this project move from its locked version."
)
@click.option("--newest", is_flag=True, help="Let all projects move.")
@click.option("--as-of", "as_of", default="", metavar="DATE", help="Ignore versions published after DATE.")
@change_options
@pass_context
def lock(
    context: Context,
    file: str,
    *,
    targets: tuple[str, ...],
    refreshed: tuple[str, ...],
    newest: bool,
    as_of: str,
    how: ChangeOptions,
) -> None:
    """Write down exactly what an outfit comes to: a lock file (pylock.NAME.toml) for each environment, with hashes, and the
    hashes of its suites and interpreters.

    Versions of the lock that is there stay, unless they may move. `equip` then takes what is locked.
    """
    from unified_shell.core.distributions.names import canonicalize_name
    from unified_shell.core.outfits.coming_interpreters import settle_interpreters
    from unified_shell.core.outfits.locks.plans import LockOptions, plan_outfit_lock

    options = LockOptions(
        targets=targets, refreshed=tuple(map(canonicalize_name, refreshed)), newest=newest, as_of=as_of
    )
    equipping = read_equipping(context, file, ())
    # It can be locked for an interpreter that is still to be got.
    perform(context, lambda: plan_outfit_lock(settle_interpreters(equipping)[0], options), how)


@click.command(cls=CheckedCommand)
@which
@click.option(
    "-o",
    "--output",
    default="",
    metavar="ARCHIVE",
    help="The archive [default: NAME-pack.tar.gz; on Windows, NAME-pack.zip].",
)
@click.option("--without-interpreter", is_flag=True, help="The other machine has a Python that fits.")
@click.option(
    "--for-machine",
    "report",
    default="",
    metavar="REPORT",
    help="Leave out what a machine has, by its own `ush look --json`.",
)
@click.option("--json", "as_json", is_flag=True, help="Print what was written as JSON.")
@pass_context
def pack(context: Context, file: str, output: str, *, without_interpreter: bool, report: str, as_json: bool) -> None:
    """Pack an outfit with all that it needs: wheels, suites, an interpreter, and ush itself. On a machine of the same kind,
    without a network and without Python: tar -xf ARCHIVE, then sh NAME-pack/equip.sh (on Windows, NAME-pack\\equip.cmd).

    FILE is an outfit or its folder [default: outfit.toml here].
    """
    from unified_shell.core.machine.files.disks import shown_size
    from unified_shell.core.machine.places import shown
    from unified_shell.core.outfits.packs.other_machine import read_other_machine
    from unified_shell.core.outfits.packs.packed_ush import default_archive, starting_steps
    from unified_shell.core.outfits.packs.packing import pack_outfit

    other = read_other_machine(report, context.host) if report else None
    equipping = read_equipping(context, file, ())
    name, is_windows = equipping.outfit.name, context.host.has_batch_files
    with context.progress.shown(f"Pack {name}", at_once=True):
        packed = pack_outfit(
            equipping,
            output or default_archive(name, is_windows=is_windows),
            with_interpreter=not without_interpreter,
            other=other,
        )
    holds = [
        f"{packed.wheels} wheels",
        f"{packed.suites} suite{'' if packed.suites == 1 else 's'}",
        packed.interpreter or "no interpreter",
        "ush",
    ]
    if as_json:
        from unified_shell.views.json_view import json_text

        told = {"place": packed.place, "files": packed.wheels, "size_bytes": packed.size_bytes, "holds": holds}
        context.screen.result(json_text("written", told))
        return
    place = shown(packed.place, context.host.home)
    context.screen.result(f"{place}: {', '.join(holds)}; {shown_size(packed.size_bytes)}")
    for one in packed.left_out:
        context.screen.result(f"Not packed: the folder {one} beside the outfit, which it puts on a search path.")
    if packed.there:
        context.screen.result(f"Not packed, because that machine has it: {', '.join(packed.there)}.")
    has_python = any(one.startswith("Python ") for one in packed.there)
    if not packed.interpreter and not without_interpreter and not has_python:
        context.screen.result("No interpreter here can be packed: the other machine needs a Python that fits.")
    steps = starting_steps(packed.place, name, is_windows=is_windows)
    context.screen.next(steps, label="On the other machine")
