"""Which packages come, change and go, as lines of a plan: what was asked for first, many dependencies as a count."""

import os
from collections.abc import Mapping, Sequence

from msgspec.structs import replace
from packaging.version import Version

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.registry import Environment, every_environment
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.resolution.questions import Solution
from unified_shell.core.store.contents import Store

__all__ = ["change_lines", "removed_lines", "summed"]

# More dependencies than these are told as a count, and each in full.
MOST_DEPENDENCIES = 10


def change_lines(
    environment: Environment,
    distributions: Sequence[Distribution],
    solution: Solution,
    locations: Locations,
    fetched_bytes: Mapping[NormalizedName, int],
) -> tuple[PlanLine, ...]:
    """Return the lines of a change to these distributions; `fetched_bytes` are the sizes of wheels that are not here."""
    added, changed = [], []
    for one in distributions:
        before = environment.contents.find(one.name)
        if before is None:
            added.append((one, ""))
        elif before.version != one.version:
            changed.append((one, before.version))
    names = {one.name for one in distributions}
    gone = [one for one in environment.contents.distributions if one.name not in names]
    kept = len(distributions) - len(added) - len(changed)
    # A step back is never folded away.
    back = {one.name for one, _ in changed if _is_older(one, environment)}

    def lines(rows: Sequence[tuple[Distribution, str]], kind: LineKind) -> list[PlanLine]:
        first: list[PlanLine] = []
        others: list[PlanLine] = []
        for one, version_before in rows:
            line = _package_line(one, kind, version_before, solution, fetched_bytes)
            (first if one.requested or one.name in back else others).append(line)
        return [*first, *_folded(others, kind)]

    return (
        *lines(added, LineKind.ADD),
        *lines(changed, LineKind.CHANGE),
        *removed_lines(gone, environment, locations, why="no longer needed"),
        *([plan_line(LineKind.KEEP, About.UNCHANGED, count=kept)] if kept else []),
    )


def removed_lines(
    gone: Sequence[Distribution],
    environment: Environment,
    locations: Locations,
    *,
    why: str,
    asked: Sequence[str] = (),
) -> tuple[PlanLine, ...]:
    """Return the lines of what goes, with what that frees; `why` is said of what was not `asked` to go."""
    if not gone:
        return ()
    sizes = {one.name: _stored_bytes(one, locations) for one in gone}
    first: list[PlanLine] = []
    others: list[PlanLine] = []
    for one in gone:
        line = plan_line(
            LineKind.REMOVE,
            About.PACKAGE,
            name=one.name,
            version=one.version,
            why="" if one.name in asked else why,
            size_bytes=sizes[one.name] or "",
        )
        (first if one.name in asked else others).append(line)
    shared = {
        one.sha256
        for each in every_environment(locations)
        if each.name != environment.name
        for one in each.contents.distributions
    }
    free = sum(sizes[one.name] for one in gone if one.sha256 not in shared)
    note = plan_line(LineKind.NOTE, About.FREEABLE, size_bytes=free)
    return (*first, *_folded(others, LineKind.REMOVE), *([note] if free else []))


def _folded(lines: Sequence[PlanLine], kind: LineKind) -> list[PlanLine]:
    """Return lines as they are where they are few, else one that stands for all."""
    if len(lines) <= MOST_DEPENDENCIES:
        return list(lines)
    names = tuple(str(line.fields["name"]) for line in lines)
    return [replace(plan_line(kind, About.DEPENDENCIES, names=names), lines=tuple(lines))]


def summed(words: Sequence[str], most: int) -> str:
    """Return the first ones, and how many more there are."""
    more = len(words) - most
    others = f" and {more} other{'s' if more > 1 else ''}" if more > 0 else ""
    return ", ".join(words[:most]) + others


def _package_line(
    one: Distribution,
    kind: LineKind,
    version_before: str,
    solution: Solution,
    fetched_bytes: Mapping[NormalizedName, int],
) -> PlanLine:
    """Return a distribution's line: one reason for it, and the size of what is fetched of it."""
    reasons = () if one.requested else solution.asked_by.get(one.name, ())
    return plan_line(
        kind,
        About.PACKAGE,
        name=one.name,
        version=one.version,
        before=version_before,
        is_requested=bool(one.requested),
        requirements=tuple(text for text in one.requested if text != one.name),
        reason=next(iter(reasons), ""),
        size_bytes=fetched_bytes.get(one.name, 0) or "",
    )


def _is_older(one: Distribution, environment: Environment) -> bool:
    before = environment.contents.find(one.name)
    return before is not None and Version(one.version) < Version(before.version)


def _stored_bytes(one: Distribution, locations: Locations) -> int:
    """Return what a distribution takes in the store, its byte code too."""
    top, size = join(Store(locations.data).top, one.sha256), 0
    for above, _, names in os.walk(top) if one.sha256 else ():
        size += sum(os.lstat(join(above, name)).st_blocks * 512 for name in names)
    return size
