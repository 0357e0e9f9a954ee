"""A newer version of a suite beside the one that is here, in its place in new sessions; or its session script, measured anew."""

import os
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import PutRecord, ReplaceFile, Step
from unified_shell.core.errors import CouldNot
from unified_shell.core.findings import Finding
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import Command, Labelled, ush

from .adopting import adopted_record
from .managed_suites import ORIGIN_FILE, TABLE, ManagedSuite, adopted_file, suite_text
from .script_checks import measure_in
from .suite_checks import check_suite
from .suite_getting import SuiteGetting
from .suite_plans import plan_get_suites
from .suite_wiring import plan_in_sessions, wiring_of

__all__ = ["plan_measure_again", "plan_newer_suite"]


def plan_newer_suite(
    suite: ManagedSuite, gettings: Sequence[SuiteGetting], accepted: tuple[str, ...], *, wire: bool
) -> Change:
    """Plan to have a newer version, in front of the one that is here, which stays until it is dropped."""
    change = plan_get_suites(gettings, accepted, wire=wire)
    older = plan_line(LineKind.NOTE, About.OLDER_STAYS, name=suite.name, place=suite.prefix)
    afterwards = (
        *change.plan.afterwards,
        Labelled(label="Drop the older one", step=ush("suite", "drop", suite.name)),
    )
    plan = replace(
        change.plan,
        aim=f"Update {suite.description.name} from {suite.version} to {gettings[-1].origin.description.version}",
        lines=(*change.plan.lines, older),
        afterwards=afterwards,
    )
    return Change(plan=plan, prepare=change.prepare)


def plan_measure_again(suite: ManagedSuite, host: Host, locations: Locations) -> Change:
    """Plan to write down anew what a suite's session script changes."""
    now = measure_in(suite.description.offers.session_scripts, suite.prefix, suite.prefix, host)
    if now is not None and now.trouble:
        raise CouldNot(
            f"the session script of {suite.name} does not come to its end: {now.trouble}",
            next_step=Command(words=("less", join(suite.prefix, suite.description.offers.session_scripts[0]))),
        )
    if now == suite.script:
        said = f"no catalog offers a newer version than {suite.name}"
        return change_of(Plan(aim=said, nothing_to_do=said))
    fresh = replace(suite, script=now)
    plan = Plan(
        aim=f"Write down anew what the session script of {suite.name} changes",
        lines=(plan_line(LineKind.CHANGE, About.SUITE, name=suite.name, target=suite.prefix),),
    )

    def verify() -> tuple[Finding, ...]:
        return check_suite(fresh, host)

    change = change_of(plan, prepare=lambda _staging: (_record_step(suite, fresh, locations),), verify=verify)
    wiring = replace(wiring_of(fresh, host, locations), instead_of=suite)
    return merged(change, plan_in_sessions([wiring], host, locations))


def _record_step(before: ManagedSuite, after: ManagedSuite, locations: Locations) -> Step:
    """Return the step that writes what is known of it: into its own tree, or into the list of what was adopted."""
    if before.adopted:
        keys = (TABLE, before.name)
        return PutRecord(
            path=adopted_file(locations), keys=keys, before=adopted_record(before), after=adopted_record(after)
        )
    path = join(before.prefix, ORIGIN_FILE)
    there = read_file(path)
    return ReplaceFile(
        path=path,
        before=kept_bytes(there[0]) if there is not None else None,
        after=kept_bytes(os.fsencode(suite_text(after))),
    )
