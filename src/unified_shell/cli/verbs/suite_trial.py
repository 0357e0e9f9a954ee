"""`ush suite try`."""

import click

from unified_shell.cli.context import Context, pass_context
from unified_shell.cli.parsing.abbreviations import CheckedCommand
from unified_shell.core.machine.places import join

__all__ = ["try_one", "try_suite"]


@click.command("try", cls=CheckedCommand)
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
    try_one(context, name, into=into, processes=processes or 0, sample=sample, as_json=as_json)


def try_one(
    context: Context, name: str, *, into: str = "", processes: int = 0, sample: str = "", as_json: bool = False
) -> None:
    """Run the example of a suite that is here, keep what came of it, and tell it."""
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
                processes=processes,
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
