"""The plans for getting and dropping a suite."""

import os
from collections.abc import Sequence

from msgspec.structs import replace

from unified_shell.core.catalogs.acceptance import ask_acceptance
from unified_shell.core.catalogs.description import FormKind
from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, Prepared, change_of, plan_line
from unified_shell.core.changes.steps import FlipLink, ReplaceFile, RetireTree, Step
from unified_shell.core.errors import CouldNot, Refused
from unified_shell.core.installation.prerequisites import COMPILERS, compiler_for
from unified_shell.core.machine.files.disks import read_disk, shown_size
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import Afterward, Labelled, ush
from unified_shell.core.shells.sessions.path_faults import first_on

from .managed_suites import ManagedSuite, all_suites, read_suites, suite_place
from .planned_wiring import plan_wired, plan_wiring_when_here
from .suite_dependants import check_not_needed
from .suite_getting import SuiteGetting
from .suite_needs import check_needs, lacking_needs
from .suite_wiring import plan_suite_unwiring

__all__ = ["plan_drop_suite", "plan_get_suites", "plan_trees"]

# What an archive unpacks to, at most, where nothing is said of it.
UNPACKED = 5


def plan_get_suites(gettings: Sequence[SuiteGetting], accepted: tuple[str, ...], *, wire: bool) -> Change:
    """Plan to have suites, each after those that it needs, and with `wire` what they offer in new sessions; the last is the
    one that was asked for.

    Raises CouldNot with all that any of them lacks, Refused where a licence asks to be accepted.
    """
    asked = gettings[-1]
    here = {one.name: one for one in read_suites(asked.locations)}
    if asked.origin.name in here and not asked.rebuild:
        said = f"{asked.origin.name} is here already: {shown(asked.target, asked.host.home)}"
        wired = plan_wired([asked], {asked.origin.name: here[asked.origin.name].script}) if wire else None
        return wired if wired and not wired.plan.nothing_to_do else change_of(Plan(aim=said, nothing_to_do=said))
    changes = plan_trees(gettings, accepted, wire=wire)
    whole = merged(*changes, *([plan_wiring_when_here(gettings)] if wire else []))
    plan = replace(whole.plan, aim=changes[-1].plan.aim, afterwards=changes[-1].plan.afterwards)
    return Change(plan=plan, prepare=whole.prepare)


def plan_trees(gettings: Sequence[SuiteGetting], accepted: tuple[str, ...], *, wire: bool) -> list[Change]:
    """Plan to have the suites themselves, each a change; with `wire` the commands that will answer are told."""
    names = [one.origin.description.name for one in gettings]
    for one in gettings:
        _check_needs(one, [name for name in names if name != one.origin.description.name])
    return [_plan_get(one, accepted, wire=wire) for one in gettings]


def _check_needs(getting: SuiteGetting, promised: Sequence[str]) -> None:
    """Raise CouldNot with all that a suite lacks; what the same plan brings is not lacking."""
    origin, host = getting.origin, getting.host
    known = [*promised, *(one.description.name for one in all_suites(host, getting.locations))]
    lacking = lacking_needs(
        origin.description, origin.form, getting.target, host, suites=known, compilers=getting.compilers
    )
    check_needs(lacking, origin.name, origin.description.needs, host)


def _plan_get(getting: SuiteGetting, accepted: tuple[str, ...], *, wire: bool) -> Change:
    origin = getting.origin
    licence_lines, licence_steps = ask_acceptance(origin.description, accepted, getting.locations)
    need = _needed_bytes(getting)
    plan = Plan(
        aim=f"Install the suite {origin.name}: {origin.description.summary}",
        lines=(
            plan_line(LineKind.ADD, About.SUITE, name=origin.name, target=getting.target),
            *(
                [plan_line(LineKind.NOTE, About.SUITE_LINK, link=getting.link, place=getting.tree, spaces=True)]
                if getting.link
                else []
            ),
            _archive_line(getting),
            *_description_lines(getting),
            *(_answer_lines(getting) if wire else ()),
            *_build_lines(getting),
            *licence_lines,
            *([plan_line(LineKind.NOTE, About.BUILD_DISK, size_bytes=need)] if need else []),
        ),
        download_bytes=0 if origin.file else origin.form.archive.size_bytes,
        disk_bytes=need,
        relies_on=_trees_needed(getting),
        afterwards=_afterwards(getting, wire=wire),
    )
    written = _description_steps(getting)

    def prepare(staging: Place) -> Prepared:
        made = getting.prepare(staging)
        return Prepared(steps=(*made.steps, *licence_steps, *written), verify=made.verify)

    return Change(plan=plan, prepare=prepare)


def _trees_needed(getting: SuiteGetting) -> tuple[str, ...]:
    """Return the objects of the journal that hold the suites that one needs and that are here."""
    needed = getting.origin.description.needs.suites
    return tuple(
        f"tree {suite_place(getting.locations, one.name)}"
        for one in read_suites(getting.locations)
        if one.description.name in needed and not one.adopted
    )


def plan_drop_suite(suite: ManagedSuite, host: Host, locations: Locations, *, consent: bool) -> Change:
    """Plan to take a suite away, and all that leads into it out of the wiring; raises Refused where another needs it,
    and for one of another scope."""
    if suite.scope is not locations.scope:
        raise Refused(
            f"{suite.name} is {suite.scope.value}'s on this machine", again_with=("--for", suite.scope.value)
        )
    needing = check_not_needed(suite, host, locations, consent=consent)
    plan = Plan(
        aim=f"Drop the suite {suite.name}",
        lines=(
            plan_line(LineKind.REMOVE, About.SUITE, name=suite.name, place=suite.prefix),
            *needing,
            plan_line(LineKind.NOTE, About.UNDO_RESTORES),
        ),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        tree = suite_place(locations, suite.name)
        links = [FlipLink(link=suite.link, before=tree, after="")] if suite.link else []
        retired = join(locations.data, "retired", os.path.basename(staging))
        return (*links, RetireTree(target=tree, retired=retired))

    return merged(change_of(plan, prepare=prepare), plan_suite_unwiring(suite, host, locations))


def _needed_bytes(getting: SuiteGetting) -> int:
    """Return the disk that it takes; raises CouldNot where there is less, before anything is done."""
    form, needs = getting.origin.form, getting.origin.description.needs
    need = max(needs.disk_bytes, form.archive.size_bytes * UNPACKED)
    free = read_disk(getting.locations.data).free_bytes
    if need > free:
        raise CouldNot(
            f"needs about {shown_size(need)}; only {shown_size(free)} free",
            where=getting.locations.data,
            next_step="free some disk space, or set USH_HOME to another disk",
        )
    return need


def _archive_line(getting: SuiteGetting) -> PlanLine:
    archive, file = getting.origin.form.archive, getting.origin.file
    size: int | str = archive.size_bytes or ""
    if file:
        return plan_line(LineKind.NOTE, About.ARCHIVE, file=file, size_bytes=size, compared=True)
    return plan_line(LineKind.DOWNLOAD, About.ARCHIVE, address=archive.url, size_bytes=size, compared=True)


def _description_steps(getting: SuiteGetting) -> tuple[Step, ...]:
    """Return the step that keeps the description which was made from an archive."""
    text = getting.origin.described_as
    if not text:
        return ()
    path = _description_place(getting)
    there = read_file(path)
    before = kept_bytes(there[0]) if there is not None else None
    after = kept_bytes(text.encode("utf-8", "surrogateescape"))
    return () if before == after else (ReplaceFile(path=path, before=before, after=after),)


def _description_place(getting: SuiteGetting) -> Place:
    return join(getting.locations.config, "descriptions", f"{getting.origin.name}.toml")


def _description_lines(getting: SuiteGetting) -> list[PlanLine]:
    text = getting.origin.described_as
    if not text:
        return []
    lines = tuple(f"+ {line}" for line in text.splitlines())
    bare = getting.origin.form.executable
    made = [plan_line(LineKind.CHANGE, About.MADE_EXECUTABLE, files=bare)] if bare else []
    return [*made, plan_line(LineKind.EDIT, About.DESCRIPTION, file=_description_place(getting), diff=lines)]


def _answer_lines(getting: SuiteGetting) -> list[PlanLine]:
    """Return a line for each command that the description promises, or that its checks start: what will answer to it, and
    what answers now. More may come; which is known when the archive is here.
    """
    described, host = getting.origin.description, getting.host
    folders = [join(getting.target, folder) for name, folder in described.offers.search_paths if name == "PATH"]
    started = described.offers.commands or tuple(one.command[0] for one in described.checks if one.command)
    lines = []
    for name in dict.fromkeys(one for one in started if "/" not in one) if folders else ():
        now = first_on(host.search_path(), name)
        kind = LineKind.CHANGE if now else LineKind.ADD
        lines.append(plan_line(kind, About.COMMAND_TARGET, name=name, target=join(folders[0], name), shadows=now))
    return lines


def _build_lines(getting: SuiteGetting) -> list[PlanLine]:
    form, host = getting.origin.form, getting.host
    if form.kind is not FormKind.SOURCE:
        return []
    chosen = dict(getting.compilers)
    lines = [
        plan_line(
            LineKind.NOTE,
            About.BUILT_FROM_SOURCE,
            cores=os.cpu_count() or 1,
            time=f"about {form.expected_seconds} s elsewhere" if form.expected_seconds else "",
            log=getting.log,
        )
    ]
    for language in dict.fromkeys((*getting.origin.description.needs.compilers, *chosen)):
        program = chosen.get(language) or compiler_for(language, host)
        title = COMPILERS[language][2]
        lines.append(
            plan_line(LineKind.NOTE, About.COMPILER, language=title, program=program, chosen=language in chosen)
        )
    if form.this_processor_only:
        lines.append(plan_line(LineKind.WARNING, About.THIS_PROCESSOR_ONLY))
    return lines


def _afterwards(getting: SuiteGetting, *, wire: bool) -> tuple[Afterward, ...]:
    name = getting.origin.name
    told: list[Afterward] = [Labelled(label="Where it is", step=shown(getting.target, getting.host.home))]
    if not wire:
        told.append(
            Labelled(label="Put it into new sessions", step=ush("suite", "get", getting.origin.description.name))
        )
    if getting.origin.description.trial is not None:
        told.append(Labelled(label="Try it", step=ush("suite", "try", name)))
    return tuple(told)
