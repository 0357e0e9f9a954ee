"""Whether an equipped machine does what its outfit asks: the outfit's own checks, and the trials of its suites."""

import os
from collections.abc import Iterator

from unified_shell.core.changes.plan import Change, Prepared
from unified_shell.core.findings import Finding
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.places import Place, join
from unified_shell.core.suites.trials.evidence import keep_evidence
from unified_shell.core.suites.trials.trial_data import SampleSource
from unified_shell.core.suites.trials.trial_runs import run_trial
from unified_shell.core.verification.own_checks import verify_own_checks
from unified_shell.core.verification.verifying import surroundings

from .equipping import Equipping
from .wanted_suites import suite_here

__all__ = ["checked_afterwards", "outfit_findings"]


def checked_afterwards(change: Change, equipping: Equipping) -> Change:
    """Return a change that is followed by the outfit's own checks and the trials of its suites."""
    if change.plan.nothing_to_do:
        return change

    def prepare(staging: Place) -> Prepared:
        prepared = change.prepare(staging)

        def verify() -> tuple[Finding, ...]:
            found = prepared.verify()
            # What is put back is not tried.
            return (
                found
                if any(one.puts_back for one in found if one.is_fault)
                else (*found, *outfit_findings(equipping))
            )

        return Prepared(steps=prepared.steps, verify=verify)

    return Change(plan=change.plan, prepare=prepare)


def outfit_findings(equipping: Equipping) -> tuple[Finding, ...]:
    """Carry out the outfit's checks in a new session, and run the trials that it asks for."""
    outfit, host, locations = equipping.outfit, equipping.host, equipping.locations
    checks: tuple[Finding, ...] = ()
    if outfit.checks:
        equipping.progress("carry out the outfit's checks")
        around = surroundings((), host, locations)
        checks = verify_own_checks(outfit.checks, equipping.place, around).findings
    return (*checks, *_trials(equipping))


def _trials(equipping: Equipping) -> Iterator[Finding]:
    host, locations = equipping.host, equipping.locations
    for wanted in equipping.outfit.suites:
        suite = suite_here(wanted, equipping) if wanted.trial else None
        if suite is None or suite.description.trial is None:
            continue
        folder = join(locations.cache, "trials", suite.name)
        remove_tree(folder)
        os.makedirs(os.path.dirname(folder), exist_ok=True)
        source = SampleSource(
            file="", host=host, locations=locations, fetcher=equipping.fetcher, progress=equipping.progress
        )
        run = run_trial(suite, folder, host, sample=source.unpacked(suite), progress=equipping.progress)
        keep_evidence(suite, run, host, locations)
        yield from run.findings
