"""Registering a suite in place: software that somebody else put here, of which nothing is changed."""

import os
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.catalogs.description import Description, Needs, Offers, Subject
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, FlipLink, PutRecord, Step
from unified_shell.core.errors import CouldNot, Refused, UsageError
from unified_shell.core.findings import Finding
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.common_dirs import volume_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in, shown, to_json_text, to_record_text
from unified_shell.core.next_steps import Labelled, ush

from .application import Application, find_application
from .archive_survey import name_and_version, programs_in, session_scripts_in
from .managed_suites import NO_PLACE, TABLE, ManagedSuite, adopted_file, all_suites, suite_text
from .script_checks import measure_in
from .suite_checks import check_suite
from .suite_dependants import check_not_needed
from .suite_wiring import plan_in_sessions, plan_suite_unwiring, wiring_of

__all__ = ["AdoptRequest", "adopted_record", "plan_adopt_suite", "plan_forget_suite"]


class AdoptRequest(Struct, frozen=True, kw_only=True):
    """What is adopted: a folder, `NAME-VERSION` where that does not say it, its session scripts, whether new sessions read
    them themselves, and whether new sessions are to have it at all.
    """

    folder: str
    named: str = ""
    scripts: tuple[str, ...] = ()
    sourced: bool = False
    wire: bool = True


def plan_adopt_suite(request: AdoptRequest, host: Host, locations: Locations) -> Change:
    """Plan to register the software in a folder, and to have its programs in new sessions.

    Raises UsageError for what is no folder or says no name and version, CouldNot for one without programs in `bin`, Refused
    for one that is registered, or managed by ush.
    """
    place = Place(os.path.normpath(join(host.working_directory, os.path.expanduser(request.folder))))
    if not os.path.isdir(place):
        raise UsageError(f"{request.folder} is not a folder", next_step=ush("suite", "list"))
    if lies_in(place, locations.data):
        raise Refused(f"{shown(place, host.home)} is managed by ush", next_step=ush("suite", "list"))
    name, version = name_and_version(request.named or os.path.basename(place).lower(), place, ("suite", "adopt"))
    earlier = _earlier(name, version, place, all_suites(host, locations))
    application = find_application(place, host)
    suite = _suite((name, version), place, _offers(request, place, application, host), host, locations)
    suite = replace(suite, sourced=request.sourced)
    before = adopted_record(earlier) if earlier is not None else ""
    steps: list[Step] = [
        PutRecord(path=adopted_file(locations), keys=(TABLE, suite.name), before=before, after=adopted_record(suite))
    ]
    if suite.link and _leads_to(suite.link) != place:
        steps.insert(0, FlipLink(link=suite.link, before=_leads_to(suite.link), after=place))

    def verify() -> tuple[Finding, ...]:
        return check_suite(suite, host)

    change = change_of(_plan(suite, place, application, host), prepare=lambda _staging: tuple(steps), verify=verify)
    if not request.wire:
        return change
    wiring = wiring_of(suite, host, locations)
    return merged(change, plan_in_sessions([wiring], host, locations))


def _earlier(name: str, version: str, place: Place, here: Sequence[ManagedSuite]) -> ManagedSuite | None:
    """Return the same suite on a volume that was mounted elsewhere; raises Refused for one that is here already."""
    full = f"{name}-{version}"
    taken = next((one for one in here if full == one.name or os.path.realpath(one.prefix) == place), None)
    if taken is None:
        return None
    if taken.link and _leads_to(taken.link) != place and not os.path.isdir(taken.prefix):
        return taken
    both = ush("suite", "adopt", place, "--as", f"{name}.2-{version}", why="to have both")
    raise Refused(
        f"{taken.name} is here already, at {taken.prefix}",
        next_step=ush("suite", "show", taken.name) if os.path.realpath(taken.prefix) == place else both,
    )


def _offers(request: AdoptRequest, place: Place, application: Application, host: Host) -> Offers:
    folders = [("PATH", "bin")]
    folders += [("MANPATH", "share/man")] if os.path.isdir(join(place, "share/man")) else []
    return Offers(
        search_paths=tuple(folders),
        session_scripts=_scripts(request, place, host),
        interpreter=application.interpreters[0] if application.interpreters else "",
        module_folders=application.module_folders,
    )


def _suite(named: tuple[str, str], place: Place, offers: Offers, host: Host, locations: Locations) -> ManagedSuite:
    """Return what is registered; raises CouldNot for a folder without programs, or a script that does not end."""
    programs = programs_in(place)
    if not programs:
        raise CouldNot(
            f"{shown(place, host.home)} has no program in bin",
            next_step=ush("path", "add", place, why="for its folders"),
        )
    name, version = named
    full = f"{name}-{version}"
    link = join(locations.data, "suites", "volumes", full) if volume_of(place) else NO_PLACE
    measured = measure_in(offers.session_scripts, place, link or place, host)
    if measured is not None and measured.trouble:
        raise CouldNot(
            f"its session script does not come to its end: {measured.trouble}",
            next_step=ush("suite", "adopt", place, why="without --script"),
        )
    count = f"{len(programs)} program{'' if len(programs) == 1 else 's'}"
    return ManagedSuite(
        name=full,
        prefix=link or place,
        link=link,
        form="adopted",
        origin=place,
        sha256="",
        description=_described(name, version, f"adopted, {count}", offers),
        made_seconds=now_seconds(),
        adopted=True,
        script=measured,
    )


def _plan(suite: ManagedSuite, place: Place, application: Application, host: Host) -> Plan:
    verify = Labelled(label="Verify it", step=ush("verify", f"suite:{suite.name}"))
    base = Labelled(
        label="An environment on its interpreter, which sees its modules",
        step=ush("environment", "new", "NAME", "--interpreter", f"suite:{suite.name}"),
    )
    link = plan_line(LineKind.NOTE, About.SUITE_LINK, link=suite.link, place=place, spaces=False)
    return Plan(
        aim=f"Adopt the suite {suite.name}, in place",
        lines=(
            plan_line(LineKind.ADD, About.SUITE, name=suite.name, target=place),
            *([link] if suite.link else []),
            *_script_notes(place, suite.description),
            *_application_lines(place, application, host),
        ),
        afterwards=(verify, base) if application.interpreters else (verify,),
    )


def _leads_to(link: str) -> str:
    return os.readlink(link) if link and os.path.islink(link) else ""


def _scripts(request: AdoptRequest, place: Place, host: Host) -> tuple[str, ...]:
    """Return the session scripts that were named, below the folder; raises UsageError for one that is not there."""
    found = []
    for one in request.scripts:
        path = next((p for p in (join(place, one), join(host.working_directory, one)) if os.path.isfile(p)), "")
        if not path or not lies_in(path, place):
            raise UsageError(f"{one} is not a file of {place}", next_step=ush("suite", "adopt", place))
        found.append(os.path.relpath(path, place))
    return tuple(found)


def _application_lines(place: Place, application: Application, host: Host) -> tuple[PlanLine, ...]:
    """Return the lines that tell of interpreters of its own, and of the folders of their modules."""
    facts = [probe(join(place, one), host) for one in application.interpreters]
    return (
        *(
            plan_line(
                LineKind.NOTE, About.OWN_INTERPRETER, title=one.title, bits=one.word_size_bits, place=one.executable
            )
            for one in facts
        ),
        *(
            plan_line(LineKind.NOTE, About.MODULE_FOLDER, folder=join(place, one))
            for one in application.module_folders
        ),
    )


def _script_notes(place: Place, described: Description) -> tuple[PlanLine, ...]:
    """Return a line for what looks like a session script of it and was not named: none is run that nobody asked for."""
    if described.offers.session_scripts:
        return ()
    return tuple(
        plan_line(LineKind.NOTE, About.SCRIPT_SEEN, file=join(place, one)) for one in session_scripts_in(place)
    )


def plan_forget_suite(suite: ManagedSuite, host: Host, locations: Locations, *, consent: bool = False) -> Change:
    """Plan to forget an adopted suite, and take what leads into it out of the wiring; its folder stays."""
    needing = check_not_needed(suite, host, locations, consent=consent)
    step = DropRecord(path=adopted_file(locations), keys=(TABLE, suite.name), before=adopted_record(suite))
    plan = Plan(
        aim=f"Forget the suite {suite.name}; {shown(suite.prefix, host.home)} stays as it is",
        lines=(plan_line(LineKind.REMOVE, About.SUITE, name=suite.name, place=suite.prefix), *needing),
    )
    leads_to = _leads_to(suite.link)
    links = [FlipLink(link=suite.link, before=leads_to, after="")] if leads_to else []
    change = change_of(plan, prepare=lambda _staging: (step, *links))
    return merged(change, plan_suite_unwiring(suite, host, locations))


def _described(name: str, version: str, summary: str, offers: Offers) -> Description:
    return Description(
        subject=Subject.SUITE,
        name=name,
        version=version,
        summary=summary,
        licence="",
        asks_acceptance=False,
        licence_text="",
        language="",
        categories=(),
        forms=(),
        needs=Needs(),
        offers=offers,
        checks=(),
        trial=None,
    )


def adopted_record(suite: ManagedSuite) -> str:
    """Return what the list of adopted suites says of one."""
    return to_json_text({"place": to_record_text(suite.prefix), "told": suite_text(suite).strip()})
