"""`ush suite`."""

from typing import TYPE_CHECKING, TypedDict, Unpack

import click

from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush

from .abbreviations import VerbGroup
from .change_flow import ChangeOptions, change_options, for_whom, perform
from .context import Context, pass_context

if TYPE_CHECKING:
    from collections.abc import Callable

    from unified_shell.core.catalogs.description import Description
    from unified_shell.core.catalogs.reading import Listed
    from unified_shell.core.changes.plan import Change

__all__ = ["suite"]


class _GetWords(TypedDict):
    """What is said of a suite that is got."""

    form: str | None
    archive: str
    named: str
    root: str
    sha256: str
    compilers: tuple[str, ...]
    environment: str
    sourced: bool
    rebuild: bool
    no_wire: bool
    accepted: tuple[str, ...]


@click.group(cls=VerbGroup)
def suite() -> None:
    """Software that is no Python package: got from a description, built where needed, wired, tried."""


@suite.command("list")
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
        print_suites(context.screen, rows)
    for fault in faults:
        context.screen.say(fault)
    if faults:
        click.get_current_context().exit(1)


@suite.command()
@click.argument("what")
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
@click.option("--rebuild", is_flag=True, help="Build it anew from its archive, though it is here.")
@click.option("--sourced", is_flag=True, help="Let new sessions read its session script themselves.")
@click.option("--no-wire", is_flag=True, help="Leave new sessions as they are.")
@click.option("--accept", "accepted", multiple=True, metavar="NAME", help="Accept the licence of NAME.")
@for_whom
@change_options
@pass_context
def get(context: Context, what: str, *, how: ChangeOptions, **words: Unpack[_GetWords]) -> None:
    """Install a suite: WHAT is its name in a catalog, with a version bound ('humscan>=1.4'), a description's file, or an
    archive, folder or address, which is looked into: what is found is shown as a description, and kept for the next time.

    All that is missing is told at once, before anything is fetched.
    """
    from unified_shell.core.installation.prerequisites import chosen_compilers
    from unified_shell.core.suites.suite_getting import SuiteGetting
    from unified_shell.core.suites.suite_origins import SuiteRequest, settle_suite
    from unified_shell.core.suites.suite_plans import plan_get_suite

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
        locations = context.locations_for(how.scope)
        origin = settle_suite(asked, _described(context), context.fetcher, context.host, locations)
        getting = SuiteGetting(
            origin=origin,
            host=context.host,
            locations=locations,
            fetcher=context.fetcher,
            progress=context.tell_progress,
            compilers=chosen,
            sourced=words["sourced"],
            rebuild=words["rebuild"],
            environment=context.own_wiring(words["environment"]) if words["environment"] else None,
        )
        return plan_get_suite(getting, words["accepted"], wire=not words["no_wire"])

    perform(context, make, how)


@suite.command()
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


@suite.command()
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


@suite.command("try")
@click.argument("name")
@click.option("--into", default="", metavar="FOLDER", help="A new folder for the results [default: NAME-trial here].")
@click.option("--processes", type=click.IntRange(min=1), help="How many processes [default: as described].")
@click.option("--sample", default="", metavar="FILE", help="The archive of sample data that you downloaded.")
@click.option("--json", "as_json", is_flag=True, help="Print the findings as JSON.")
@pass_context
def try_suite(context: Context, name: str, *, into: str, processes: int | None, sample: str, as_json: bool) -> None:
    """Run a suite's example on a copy of its sample data, and examine what it makes.

    Where it can, once with one process and once with several; both must make the same. What came of it is kept: ush suite
    show NAME. Exit code 1 if anything is at fault.
    """
    from unified_shell.core.suites.managed_suites import find_suite
    from unified_shell.core.suites.trials.evidence import keep_evidence
    from unified_shell.core.suites.trials.trial_data import SampleSource
    from unified_shell.core.suites.trials.trial_runs import TrialRun, run_trial
    from unified_shell.views.json_view import json_text
    from unified_shell.views.trial_view import print_trial

    found = find_suite(name, context.host, context.locations)
    folder = join(context.host.working_directory, into or f"{found.name}-trial")
    with context.progress.shown(f"Try {found.name}"):
        try:
            source = SampleSource(
                file=sample,
                host=context.host,
                locations=context.locations,
                fetcher=context.fetcher,
                progress=context.tell_progress,
            )
            run = run_trial(
                found,
                folder,
                context.host,
                sample=source.unpacked(found),
                processes=processes or 0,
                progress=context.tell_progress,
            )
        except KeyboardInterrupt:
            unfinished = TrialRun(folder=folder, runs=(), findings=())
            keep_evidence(found, unfinished, context.host, context.locations, interrupted=True)
            raise
    keep_evidence(found, run, context.host, context.locations)
    if as_json:
        context.screen.result(json_text("trial", run))
    else:
        print_trial(context.screen, found, run, context.host)
    if any(one.is_fault for one in run.findings):
        click.get_current_context().exit(1)


@suite.command()
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
    from unified_shell.core.suites.suite_origins import SuiteRequest, offered_newer, settle_suite
    from unified_shell.core.suites.suite_refreshing import plan_measure_again, plan_newer_suite
    from unified_shell.core.suites.suite_wiring import is_wired

    locations = context.locations_for(how.scope)

    def make() -> "Change":
        found = find_newest(what, context.host, locations)
        newer = offered_newer(what, found, _described(context), context.host)
        if not newer:
            return plan_measure_again(found, context.host, locations)
        request = SuiteRequest(what=f"{found.description.name}=={newer}", archive=archive)
        getting = SuiteGetting(
            origin=settle_suite(request, _described(context), context.fetcher, context.host, locations),
            host=context.host,
            locations=locations,
            fetcher=context.fetcher,
            progress=context.tell_progress,
            sourced=found.sourced,
            environment=context.own_wiring(environment) if environment else None,
        )
        return plan_newer_suite(found, getting, accepted, wire=is_wired(found, locations) or bool(environment))

    perform(context, make, how)


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


def _described(context: Context) -> "Callable[[Callable[[Description], bool]], Listed | None]":
    from unified_shell.core.catalogs.reading import find_described
    from unified_shell.core.catalogs.registered import CATALOGS

    catalogs = CATALOGS.read_all(context.host, context.locations)
    return lambda fits: find_described(catalogs, context.fetcher, fits)
