"""Registering a suite in place: software that somebody else put here, of which nothing is changed."""

import os

from unified_shell.core.catalogs.description import Description, Needs, Offers, Subject
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, PutRecord
from unified_shell.core.errors import CouldNot, Refused, UsageError
from unified_shell.core.findings import Finding
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in, shown, to_json_text, to_record_text
from unified_shell.core.next_steps import Labelled, ush

from .archive_survey import name_and_version, programs_in
from .managed_suites import TABLE, ManagedSuite, adopted_file, all_suites, suite_text
from .suite_checks import check_suite
from .suite_wiring import plan_suite_unwiring, plan_suite_wiring

__all__ = ["plan_adopt_suite", "plan_forget_suite"]


def plan_adopt_suite(folder: str, host: Host, locations: Locations, *, named: str = "", wire: bool = True) -> Change:
    """Plan to register the software in a folder, and with `wire` to have its programs in new sessions.

    Raises UsageError for what is no folder or says no name and version, CouldNot for one without programs in `bin`, Refused
    for one that is registered, or managed by ush.
    """
    place = Place(os.path.normpath(join(host.working_directory, os.path.expanduser(folder))))
    if not os.path.isdir(place):
        raise UsageError(f"{folder} is not a folder", next_step=ush("suite", "list"))
    name, version = name_and_version(named or os.path.basename(place).lower(), place, ("suite", "adopt"))
    full = f"{name}-{version}"
    if lies_in(place, locations.data):
        raise Refused(f"{shown(place, host.home)} is managed by ush", next_step=ush("suite", "list"))
    taken = next((one for one in all_suites(host, locations) if full == one.name or one.prefix == place), None)
    if taken is not None:
        raise Refused(f"{taken.name} is here already, at {taken.prefix}", next_step=ush("suite", "show", taken.name))
    programs = programs_in(place)
    if not programs:
        raise CouldNot(
            f"{shown(place, host.home)} has no program in bin",
            next_step=ush("path", "add", place, why="for its folders"),
        )
    described = _described(name, version, place, programs)
    suite = ManagedSuite(
        name=full,
        prefix=place,
        form="adopted",
        origin=place,
        sha256="",
        description=described,
        made_seconds=now_seconds(),
        adopted=True,
    )
    step = PutRecord(path=adopted_file(locations), keys=(TABLE, full), before="", after=_record(suite))
    plan = Plan(
        aim=f"Adopt the suite {full}, in place",
        lines=(plan_line(LineKind.ADD, About.SUITE, name=full, target=place),),
        afterwards=(Labelled(label="Verify it", step=ush("verify", f"suite:{full}")),),
    )

    def verify() -> tuple[Finding, ...]:
        return check_suite(suite, host)

    change = change_of(plan, prepare=lambda _staging: (step,), verify=verify)
    return merged(change, plan_suite_wiring(described, place, host, locations)) if wire else change


def plan_forget_suite(suite: ManagedSuite, host: Host, locations: Locations) -> Change:
    """Plan to forget an adopted suite, and take what leads into it out of the wiring; its folder stays."""
    step = DropRecord(path=adopted_file(locations), keys=(TABLE, suite.name), before=_record(suite))
    plan = Plan(
        aim=f"Forget the suite {suite.name}; {shown(suite.prefix, host.home)} stays as it is",
        lines=(plan_line(LineKind.REMOVE, About.SUITE, name=suite.name, place=suite.prefix),),
    )
    change = change_of(plan, prepare=lambda _staging: (step,))
    return merged(change, plan_suite_unwiring(suite.description, suite.prefix, host, locations))


def _described(name: str, version: str, place: Place, programs: tuple[str, ...]) -> Description:
    folders = [("PATH", "bin")]
    folders += [("MANPATH", "share/man")] if os.path.isdir(join(place, "share/man")) else []
    count = f"{len(programs)} program{'' if len(programs) == 1 else 's'}"
    return Description(
        subject=Subject.SUITE,
        name=name,
        version=version,
        summary=f"adopted, {count}",
        licence="",
        asks_acceptance=False,
        licence_text="",
        language="",
        categories=(),
        forms=(),
        needs=Needs(),
        offers=Offers(search_paths=tuple(folders)),
        checks=(),
        trial=None,
    )


def _record(suite: ManagedSuite) -> str:
    return to_json_text({"place": to_record_text(suite.prefix), "told": suite_text(suite).strip()})
