"""`ush package`."""

from typing import TYPE_CHECKING

import click

from unified_shell.core.next_steps import ush

from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context
from .options.request_options import RequestOptions, request_options
from .parsing.abbreviations import ListCommand, VerbGroup

if TYPE_CHECKING:
    from collections.abc import Callable

    from unified_shell.core.changes.plan import Change
    from unified_shell.core.environments.model.meant import MeantEnvironment
    from unified_shell.core.environments.model.registry import Environment
    from unified_shell.core.machine.locations import Locations

__all__ = ["package"]

in_environment = click.option(
    "-e", "--environment", "name", default="", help="The environment [default: the entered one, or the only one]."
)


def _to_bench(ctx: click.Context, option: click.Parameter, value: object) -> None:
    """Keep an option about indexes where they are asked."""
    context = ctx.find_object(Context)
    if context is not None and option.name is not None:
        setattr(context, option.name, value)


without_index = click.option(
    "--without-index",
    "passed_over",
    multiple=True,
    metavar="INDEX",
    expose_value=False,
    callback=_to_bench,
    help="Skip INDEX this time.",
)
offline = click.option(
    "--offline",
    is_flag=True,
    expose_value=False,
    callback=_to_bench,
    help="Use the cache only; download nothing.",
)


@click.group(cls=VerbGroup)
def package() -> None:
    """Packages in an environment."""


@package.command()
@click.argument("requirements", nargs=-1, metavar="[REQUIREMENT]...")
@click.option(
    "--from", "index", default="", metavar="INDEX", help="Take the named packages from this index only, from now on."
)
@click.option("--lock", default="", metavar="FILE", help="Install exactly what a lock file (pylock.toml) lists.")
@request_options
@without_index
@offline
@in_environment
@for_whom
@change_options
@pass_context
def get(
    context: Context,
    requirements: tuple[str, ...],
    *,
    index: str,
    lock: str,
    words: RequestOptions,
    name: str,
    how: ChangeOptions,
) -> None:
    """Install packages and their dependencies: NAME, NAME>=1.2, NAME[extra], NAME @ ADDRESS, FILE.whl."""
    from unified_shell.core.changes.merging import merged
    from unified_shell.core.distributions.names import canonicalize_name
    from unified_shell.core.environments.packages.getting import plan_get
    from unified_shell.core.indexes.index_pins import plan_pins

    if lock:
        _get_locked(context, lock, words, how, name, alone=not requirements)
        return
    request = words.request(requirements, context.host.working_directory)
    named = [canonicalize_name(one.name) for one in request.requests]
    if index:
        context.ties = dict.fromkeys(named, index)

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        # What is tied is remembered for the person alone.
        ties = plan_pins(named, index, context.host, context.locations) if index and how.scope == "me" else None
        change = plan_get(
            request,
            environment,
            context.indexes_for(how.scope),
            context.host,
            locations,
            progress=context.tell_progress,
        )
        return merged(change, ties) if ties is not None and not change.plan.nothing_to_do else change

    _perform(context, plan, how, name)


def _get_locked(
    context: Context, lock: str, words: RequestOptions, how: ChangeOptions, name: str, *, alone: bool
) -> None:
    from unified_shell.core.environments.packages.lock_files import LockRequest, plan_lock
    from unified_shell.core.errors import UsageError

    if not alone or words.files or words.bounds or words.overriding or words.as_of or words.lowest:
        named = (*(("-e", name) if name else ()), *context.locations_for(how.scope).scope_words)
        raise UsageError(
            "a lock file is complete; nothing else can be requested with it",
            next_step=(
                ush("package", "get", "--lock", lock, *named),
                "then",
                ush("package", "get", "REQUIREMENT", *named),
            ),
        )

    request = LockRequest(
        path=lock,
        rules=words.rules(),
        extras=tuple(words.extras),
        groups=tuple(words.groups),
        overlap=words.preferred(),
    )

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        return plan_lock(
            request,
            environment,
            context.indexes_for(how.scope),
            context.host,
            locations,
            progress=context.tell_progress,
        )

    _perform(context, plan, how, name)


def _perform(
    context: Context, plan: "Callable[[Environment, Locations], Change]", how: ChangeOptions, name: str
) -> None:
    """Change the packages of an environment, mine or everyone's, check what came and tell it."""
    from unified_shell.core.environments.model.meant import meant_environment
    from unified_shell.core.verification.packages.package_checks import PackageChecks

    locations = context.locations_for(how.scope)
    last: list[PackageChecks] = []

    def make() -> "Change":
        meant = meant_environment(name, context.host, locations)
        last[:] = [PackageChecks(meant.environment, context.host, locations)]
        return last[0].checked(_saying_which(plan(meant.environment, locations), meant))

    perform(context, make, how, tell=lambda _outcome: last[0].lines())


def _saying_which(change: "Change", meant: "MeantEnvironment") -> "Change":
    """Return a change whose plan says which environment was taken, where nobody named or entered one."""
    from msgspec.structs import replace

    from unified_shell.core.changes.plan import About, LineKind, plan_line
    from unified_shell.core.environments.model.meant import MeantBy

    name = meant.environment.name
    if meant.by is MeantBy.ONLY_ONE:
        line = plan_line(LineKind.NOTE, About.ENVIRONMENT_ONLY, name=name)
    elif meant.by is MeantBy.OUTFIT:
        line = plan_line(LineKind.NOTE, About.ENVIRONMENT_OF_OUTFIT, name=name, outfit=meant.outfit)
    else:
        return change
    return replace(change, plan=replace(change.plan, lines=(line, *change.plan.lines)))


@package.command("list", cls=ListCommand)
@in_environment
@click.option("--licences", is_flag=True, help="Show each package's declared licence and the file with its text.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def list_packages(context: Context, name: str, *, licences: bool, as_json: bool) -> None:
    """List an environment's packages, with their import names and commands."""
    from unified_shell.core.verification.packages.installed_metadata import read_installed
    from unified_shell.views.environment_view import print_licences, print_packages
    from unified_shell.views.json_view import json_text

    found = context.environment_meant(name)
    if as_json:
        context.screen.result(json_text("packages", found.contents.distributions))
    elif licences:
        print_licences(context.screen, found, read_installed(found), context.host.home)
    else:
        print_packages(context.screen, found, read_installed(found))


@package.command()
@click.argument("names", nargs=-1, metavar="[NAME]...")
@without_index
@in_environment
@for_whom
@change_options
@pass_context
def refresh(context: Context, names: tuple[str, ...], name: str, *, how: ChangeOptions) -> None:
    """Update to the newest compatible versions: all packages, or those named."""
    from unified_shell.core.environments.packages.getting import plan_refresh

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        return plan_refresh(
            names,
            environment,
            context.indexes_for(how.scope),
            context.host,
            locations,
            progress=context.tell_progress,
        )

    _perform(context, plan, how, name)


@package.command(cls=ListCommand)
@click.argument("wanted", metavar="NAME")
@in_environment
@click.option("--all", "every", is_flag=True, help="Every path from a requested package, not only the shortest.")
@click.option("--json", "as_json", is_flag=True, help="Print the facts as JSON.")
@pass_context
def why(context: Context, wanted: str, name: str, *, every: bool, as_json: bool) -> None:
    """Explain why the package NAME is installed: what requires it, and the shortest path from a requested package."""
    from unified_shell.core.environments.model.base_interpreter import base_of
    from unified_shell.core.environments.packages.dependency_paths import why_there
    from unified_shell.views.environment_view import print_why
    from unified_shell.views.json_view import json_text

    found = context.environment_meant(name)
    reasons = why_there(wanted, found, base_of(found, context.host), every=every)
    if as_json:
        context.screen.result(json_text("why", reasons))
    else:
        print_why(context.screen, wanted, found, reasons, every=every)


@package.command()
@click.argument("names", nargs=-1, required=True, metavar="NAME...")
@in_environment
@for_whom
@change_options
@pass_context
def drop(context: Context, names: tuple[str, ...], name: str, *, how: ChangeOptions) -> None:
    """Remove packages, and dependencies that nothing else needs."""
    from unified_shell.core.environments.packages.removal import plan_drop_packages

    def plan(environment: "Environment", locations: "Locations") -> "Change":
        return plan_drop_packages(names, environment, context.host, locations, context.indexes_for(how.scope))

    _perform(context, plan, how, name)
