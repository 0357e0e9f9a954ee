"""`ush suite get`, `adopt` and `refresh`: what brings a suite."""

from typing import TYPE_CHECKING, TypedDict, Unpack

import click

from unified_shell.cli.change_flow import ChangeOptions, change_options, for_whom, perform
from unified_shell.cli.context import Context, pass_context
from unified_shell.cli.parsing.abbreviations import CheckedCommand
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush

from .suite_trial import try_one

if TYPE_CHECKING:
    from collections.abc import Callable

    from unified_shell.core.catalogs.description import Description
    from unified_shell.core.catalogs.reading import Listed
    from unified_shell.core.changes.plan import Change
    from unified_shell.core.suites.suite_getting import SuiteGetting
    from unified_shell.core.suites.suite_origins import SuiteOrigin

__all__ = ["adopt", "get", "refresh"]


class _GetWords(TypedDict):
    """What is said of a suite that is got."""

    form: str | None
    archive: str
    named: str
    root: str
    sha256: str
    compilers: tuple[str, ...]
    environment: str
    place: str
    sourced: bool
    rebuild: bool
    no_wire: bool
    trial: bool
    accepted: tuple[str, ...]


@click.command(cls=CheckedCommand)
@click.argument("what", default="")
@click.option("--form", type=click.Choice(["binary", "source"]), help="Ready-built (binary), or built here (source).")
@click.option("--archive", default="", metavar="FILE", help="An archive that you downloaded.")
@click.option("--as", "named", default="", metavar="NAME-VERSION", help="Where an archive's file does not say it.")
@click.option("--root", default="", metavar="FOLDER", help="The folder in an archive that holds several.")
@click.option("--sha256", default="", metavar="HASH", help="What the archive at an address must have.")
@click.option(
    "--compiler",
    "compilers",
    multiple=True,
    metavar="[LANGUAGE=]PROGRAM",
    help="Build with this compiler, such as clang or fortran=flang.",
)
@click.option("-e", "--environment", default="", help="Only while this environment is entered.")
@click.option(
    "--place", default="", metavar="FOLDER", help="Where a link to it goes, if its place has spaces it cannot bear."
)
@click.option("--rebuild", is_flag=True, help="Build it anew from its archive, though it is here.")
@click.option("--sourced", is_flag=True, help="Let new sessions read its session script themselves.")
@click.option("--no-wire", is_flag=True, help="Leave new sessions as they are.")
@click.option("--trial", is_flag=True, help="Run its example afterwards, as ush suite try does.")
@click.option("--accept", "accepted", multiple=True, metavar="NAME", help="Accept the licence of NAME.")
@for_whom
@change_options
@pass_context
def get(context: Context, what: str, *, how: ChangeOptions, **words: Unpack[_GetWords]) -> None:
    """Install a suite: WHAT is its name in a catalog, with a version bound ('humscan>=1.4'), a description's file, or an
    archive, folder or address, which is looked into: what is found is shown as a description, and kept for the next time.

    All that is missing is told at once, before anything is fetched. At a terminal and without WHAT: a list to choose from.
    """
    from unified_shell.core.installation.prerequisites import chosen_compilers
    from unified_shell.core.suites.managed_suites import NO_PLACE
    from unified_shell.core.suites.suite_getting import SuiteGetting
    from unified_shell.core.suites.suite_origins import SuiteRequest, settle_suite, with_needed
    from unified_shell.core.suites.suite_plans import plan_get_suites

    what, came = what or _chosen(context), list[str]()
    chosen = chosen_compilers(words["compilers"], context.host)
    asked = SuiteRequest(
        what=what,
        archive=words["archive"],
        form=words["form"] or "",
        named=words["named"],
        root=words["root"],
        sha256=words["sha256"].lower(),
    )

    def make() -> "Change":
        locations, find = context.locations_for(how.scope), _described(context)
        origin = settle_suite(asked, find, context.fetcher, context.host, locations)
        own = context.own_wiring(words["environment"]) if words["environment"] else None

        def getting(one: "SuiteOrigin") -> "SuiteGetting":
            return SuiteGetting(
                origin=one,
                host=context.host,
                locations=locations,
                fetcher=context.fetcher,
                progress=context.tell_progress,
                compilers=chosen,
                sourced=words["sourced"],
                rebuild=words["rebuild"] and one is origin,
                environment=own,
                place=join(context.host.working_directory, words["place"]) if words["place"] else NO_PLACE,
            )

        came.append(origin.name)
        every = with_needed(origin, find, context.host, locations, context.fetcher)
        return plan_get_suites([getting(one) for one in every], words["accepted"], wire=not words["no_wire"])

    perform(context, make, how)
    if words["trial"] and not how.only_plan:
        try_one(context, came[-1])


def _chosen(context: Context) -> str:
    """Let a person at a terminal choose from what is offered; raises UsageError elsewhere."""
    from unified_shell.core.errors import UsageError
    from unified_shell.core.suites.suite_list import list_all_suites
    from unified_shell.views.suite_chooser import choose_suite

    if not context.screen.has_person:
        raise UsageError("no suite is named", next_step=ush("suite", "list"))
    rows, _ = list_all_suites(context.host, context.locations, context.fetcher)
    return choose_suite(context.screen, rows)


@click.command(cls=CheckedCommand)
@click.argument("folder")
@click.option("--as", "named", default="", metavar="NAME-VERSION", help="Where the folder's name does not say it.")
@click.option(
    "--script", "scripts", multiple=True, metavar="FILE", help="Its session script, one for each dialect it has."
)
@click.option("--sourced", is_flag=True, help="Let new sessions read its session script themselves.")
@click.option("--no-wire", is_flag=True, help="Leave new sessions as they are.")
@for_whom
@change_options
@pass_context
def adopt(
    context: Context,
    folder: str,
    *,
    named: str,
    scripts: tuple[str, ...],
    sourced: bool,
    no_wire: bool,
    how: ChangeOptions,
) -> None:
    """Register the software in FOLDER in place, and put its programs into new sessions. Nothing in it is changed.

    A session script is run three times in bare shells; what it sets is written for every shell, and what only sourcing
    gives is named.
    """
    from unified_shell.core.suites.adopting import AdoptRequest, plan_adopt_suite

    locations = context.locations_for(how.scope)
    request = AdoptRequest(folder=folder, named=named, scripts=scripts, sourced=sourced, wire=not no_wire)
    perform(context, lambda: plan_adopt_suite(request, context.host, locations), how)


@click.command(cls=CheckedCommand)
@click.argument("what")
@click.option("--archive", default="", metavar="FILE", help="An archive that you downloaded.")
@click.option("-e", "--environment", default="", help="Only while this environment is entered.")
@click.option("--accept", "accepted", multiple=True, metavar="NAME", help="Accept the licence of NAME.")
@for_whom
@change_options
@pass_context
def refresh(
    context: Context,
    what: str,
    *,
    archive: str,
    environment: str,
    accepted: tuple[str, ...],
    how: ChangeOptions,
) -> None:
    """Update a suite to the newest version that is offered, or to the newest within a bound ('humscan<2').

    The version that was here stays beside it. Where none is newer, its session script is measured again.
    """
    from unified_shell.core.suites.managed_suites import find_newest
    from unified_shell.core.suites.suite_getting import SuiteGetting
    from unified_shell.core.suites.suite_origins import SuiteRequest, offered_newer, settle_suite, with_needed
    from unified_shell.core.suites.suite_refreshing import plan_measure_again, plan_newer_suite
    from unified_shell.core.suites.suite_wiring import is_wired

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        found = find_newest(what, context.host, locations)
        newer = offered_newer(what, found, _described(context), context.host)
        if not newer:
            return plan_measure_again(found, context.host, locations)
        request = SuiteRequest(what=f"{found.description.name}=={newer}", archive=archive)
        find = _described(context)
        origin = settle_suite(request, find, context.fetcher, context.host, locations)
        gettings = [
            SuiteGetting(
                origin=one,
                host=context.host,
                locations=locations,
                fetcher=context.fetcher,
                progress=context.tell_progress,
                sourced=found.sourced,
                environment=context.own_wiring(environment) if environment else None,
            )
            for one in with_needed(origin, find, context.host, locations, context.fetcher)
        ]
        return plan_newer_suite(found, gettings, accepted, wire=is_wired(found, locations) or bool(environment))

    perform(context, make, how)


def _described(context: Context) -> "Callable[[Callable[[Description], bool]], Listed | None]":
    from unified_shell.core.catalogs.reading import find_described
    from unified_shell.core.catalogs.registered import CATALOGS

    catalogs = CATALOGS.read_all(context.host, context.locations)
    return lambda fits: find_described(catalogs, context.fetcher, fits)
