"""`ush package`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.machine.places import typed

from .beginnings import VerbGroup
from .performing import How, change_options, for_whom, perform
from .wishing import WishWords, wish_options
from .workbench import Workbench, pass_bench

if TYPE_CHECKING:
    from collections.abc import Callable

    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.known import Environment
    from unified_shell.core.machine.locations import Locations

__all__ = ["package"]

in_environment = click.option(
    "-e", "--environment", "name", default="", help="The environment; else the entered one."
)


def _to_bench(ctx: click.Context, option: click.Parameter, value: object) -> None:
    """Keep an option about indexes where they are asked."""
    bench = ctx.find_object(Workbench)
    if bench is not None and option.name is not None:
        setattr(bench, option.name, value)


without_index = click.option(
    "--without-index",
    "passed_over",
    multiple=True,
    metavar="INDEX",
    expose_value=False,
    callback=_to_bench,
    help="Do not ask INDEX this time.",
)
offline = click.option(
    "--offline",
    is_flag=True,
    expose_value=False,
    callback=_to_bench,
    help="Fetch nothing; use what is in the cache.",
)


@click.group(cls=VerbGroup)
def package() -> None:
    """Packages in an environment."""


@package.command()
@click.argument("requirements", nargs=-1, metavar="[REQUIREMENT]...")
@click.option(
    "--from", "index", default="", metavar="INDEX", help="Take what is named from this index only, from now on."
)
@click.option("--lock", default="", metavar="FILE", help="Exactly what a lock file (pylock.toml) holds; no solving.")
@wish_options
@without_index
@offline
@in_environment
@for_whom
@change_options
@pass_bench
def get(
    bench: Workbench,
    requirements: tuple[str, ...],
    *,
    index: str,
    lock: str,
    words: WishWords,
    name: str,
    how: How,
) -> None:
    """Get packages, with what they need, from the indexes: NAME, NAME>=1.2, NAME[extra], NAME @ ADDRESS, FILE.whl."""
    from packaging.utils import canonicalize_name

    from unified_shell.core.changes.composing import combined
    from unified_shell.core.environments.packages import plan_get
    from unified_shell.core.indexes.ties import plan_ties

    if lock:
        _get_locked(bench, lock, words, how, name, alone=not requirements)
        return
    wish = words.wish(requirements, bench.host.working_directory)
    named = [canonicalize_name(one.name) for one in wish.requests]
    if index:
        bench.ties = dict.fromkeys(named, index)

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        # What is tied is remembered for the person alone.
        ties = plan_ties(named, index, bench.host, bench.locations) if index and how.scope == "me" else None
        change = plan_get(
            wish, environment, bench.indexes_for(how.scope), bench.host, locations, progress=bench.tell_progress
        )
        return combined(change, ties) if ties is not None and not change.plan.nothing_to_do else change

    _perform(bench, plan, how, name)


def _get_locked(bench: Workbench, lock: str, words: WishWords, how: How, name: str, *, alone: bool) -> None:
    from unified_shell.core.environments.lock_files import LockWish, plan_lock
    from unified_shell.core.errors import WordsOff

    if not alone or words.files or words.bounds or words.overriding or words.as_of or words.lowest:
        named = (f" -e {typed(name)}" if name else "") + (f" --for {how.scope}" if how.scope != "me" else "")
        raise WordsOff(
            "a lock says all there is to say; nothing can be asked for besides",
            next_step=f"ush package get --lock {typed(lock)}{named}   then ush package get NAME{named}",
        )

    wish = LockWish(
        path=lock,
        rules=words.rules(),
        extras=tuple(words.extras),
        groups=tuple(words.groups),
        overlap=words.preferred(),
    )

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        return plan_lock(
            wish, environment, bench.indexes_for(how.scope), bench.host, locations, progress=bench.tell_progress
        )

    _perform(bench, plan, how, name)


def _perform(bench: Workbench, plan: "Callable[[Environment, Locations], Change]", how: How, name: str) -> None:
    """Change the packages of an environment, mine or everyone's, check what came and tell it."""
    from unified_shell.core.environments.known import choose_environment
    from unified_shell.core.verification.arrivals import Arrivals

    locations = bench.rights_for(how.scope)
    last: list[Arrivals] = []

    def make() -> "Change":
        environment = choose_environment(name, bench.host, locations)
        last[:] = [Arrivals(environment, bench.host, locations)]
        return last[0].checked(plan(environment, locations))

    perform(bench, make, how, tell=lambda _outcome: last[0].lines())


@package.command("list")
@in_environment
@click.option("--licences", is_flag=True, help="Each one's licence, as it says itself, and its text's file.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def list_packages(bench: Workbench, name: str, *, licences: bool, as_json: bool) -> None:
    """List what an environment holds, with the names to import and the commands."""
    from unified_shell.core.environments.known import choose_environment
    from unified_shell.core.verification.on_disk import read_installed
    from unified_shell.views.environment_view import print_licences, print_packages
    from unified_shell.views.json_view import json_text

    found = choose_environment(name, bench.host, bench.locations)
    if as_json:
        bench.screen.result(json_text("packages", found.contents.distributions))
    elif licences:
        print_licences(bench.screen, found, read_installed(found), bench.host.home)
    else:
        print_packages(bench.screen, found, read_installed(found))


@package.command()
@click.argument("names", nargs=-1, metavar="[NAME]...")
@without_index
@in_environment
@for_whom
@change_options
@pass_bench
def refresh(bench: Workbench, names: tuple[str, ...], name: str, *, how: How) -> None:
    """Update to the newest compatible versions, of the packages NAME or of everything."""
    from unified_shell.core.environments.packages import plan_refresh

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        return plan_refresh(
            names, environment, bench.indexes_for(how.scope), bench.host, locations, progress=bench.tell_progress
        )

    _perform(bench, plan, how, name)


@package.command()
@click.argument("wanted", metavar="NAME")
@in_environment
@click.option("--all", "every", is_flag=True, help="Every way from what was requested, not the shortest alone.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_bench
def why(bench: Workbench, wanted: str, name: str, *, every: bool, as_json: bool) -> None:
    """Tell why the package NAME is there: what requires it, and the shortest way to it from what was requested."""
    from unified_shell.core.environments.chains import why_there
    from unified_shell.core.environments.changing import base_of
    from unified_shell.core.environments.known import choose_environment
    from unified_shell.views.environment_view import print_why
    from unified_shell.views.json_view import json_text

    found = choose_environment(name, bench.host, bench.locations)
    reasons = why_there(wanted, found, base_of(found, bench.host), every=every)
    if as_json:
        bench.screen.result(json_text("why", reasons))
    else:
        print_why(bench.screen, wanted, found, reasons, every=every)


@package.command()
@click.argument("names", nargs=-1, required=True, metavar="NAME...")
@in_environment
@for_whom
@change_options
@pass_bench
def drop(bench: Workbench, names: tuple[str, ...], name: str, *, how: How) -> None:
    """Drop packages, and what came along for them alone."""
    from unified_shell.core.environments.dropping_packages import plan_drop_packages

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        return plan_drop_packages(names, environment, bench.host, locations, bench.indexes_for(how.scope))

    _perform(bench, plan, how, name)
