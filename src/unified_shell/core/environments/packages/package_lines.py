"""Which packages come, change and go, as lines of a plan: what was asked for first, many dependencies as a count."""

import os
from collections.abc import Mapping, Sequence

from packaging.utils import NormalizedName
from packaging.version import Version

from unified_shell.core.changes.plan import LineKind, PlanLine
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.registry import Environment, every_environment
from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.resolution.questions import Solution
from unified_shell.core.store.contents import Store

__all__ = ["change_lines", "removed_lines", "summed"]

# More dependencies than these are told as a count, and each in full.
MOST_DEPENDENCIES = 10
MOST_NAMED = 4


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
            added.append((one, f"{one.name} {one.version}"))
        elif before.version != one.version:
            changed.append((one, f"{one.name} {before.version} → {one.version}"))
    names = {one.name for one in distributions}
    gone = [one for one in environment.contents.distributions if one.name not in names]
    kept = len(distributions) - len(added) - len(changed)
    # A step back is never folded away.
    back = {one.name for one, _ in changed if _is_older(one, environment)}

    def lines(rows: Sequence[tuple[Distribution, str]], kind: LineKind, what: str) -> list[PlanLine]:
        first: list[PlanLine] = []
        others: list[PlanLine] = []
        for one, subject in rows:
            line = PlanLine(kind=kind, subject=subject, detail=_detail(one, solution, fetched_bytes))
            (first if one.requested or one.name in back else others).append(line)
        return [*first, *folded(others, kind, what)]

    return (
        *lines(added, LineKind.ADD, "dependencies"),
        *lines(changed, LineKind.CHANGE, "dependencies"),
        *removed_lines(gone, environment, locations, why="no longer needed"),
        *([PlanLine(kind=LineKind.KEEP, subject=f"{kept} unchanged")] if kept else []),
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
        detail = "; ".join(filter(None, ("" if one.name in asked else why, _size(sizes[one.name]))))
        line = PlanLine(kind=LineKind.REMOVE, subject=f"{one.name} {one.version}", detail=detail)
        (first if one.name in asked else others).append(line)
    shared = {
        one.sha256
        for each in every_environment(locations)
        if each.name != environment.name
        for one in each.contents.distributions
    }
    free = sum(sizes[one.name] for one in gone if one.sha256 not in shared)
    note = PlanLine(
        kind=LineKind.NOTE,
        subject=f"{shown_size(free)} can be freed by ush store sweep",
        detail="once undo no longer needs them",
    )
    return (*first, *folded(others, LineKind.REMOVE, "dependencies"), *([note] if free else []))


def folded(lines: Sequence[PlanLine], kind: LineKind, what: str) -> list[PlanLine]:
    """Return lines as they are where they are few, else one that counts them and has each in full."""
    if len(lines) <= MOST_DEPENDENCIES:
        return list(lines)
    full = tuple("   ".join(filter(None, (line.subject, line.detail))) for line in lines)
    detail = summed([line.subject.split(" ")[0] for line in lines], MOST_NAMED)
    return [PlanLine(kind=kind, subject=f"{len(lines)} {what}", detail=detail, in_full=full)]


def summed(words: Sequence[str], most: int) -> str:
    """Return the first ones, and how many more there are."""
    more = len(words) - most
    others = f" and {more} other{'s' if more > 1 else ''}" if more > 0 else ""
    return ", ".join(words[:most]) + others


def _detail(one: Distribution, solution: Solution, fetched_bytes: Mapping[NormalizedName, int]) -> str:
    """Return one reason for a distribution, and the size of what is fetched of it."""
    asked = [text for text in one.requested if text != one.name]
    reasons = solution.asked_by.get(one.name, ())
    reason = f"requested: {', '.join(asked)}" if asked else "requested" if one.requested else next(iter(reasons), "")
    return "; ".join(filter(None, (reason, _size(fetched_bytes.get(one.name, 0)))))


def _size(size_bytes: int) -> str:
    return shown_size(size_bytes) if size_bytes > 0 else ""


def _is_older(one: Distribution, environment: Environment) -> bool:
    before = environment.contents.find(one.name)
    return before is not None and Version(one.version) < Version(before.version)


def _stored_bytes(one: Distribution, locations: Locations) -> int:
    """Return what a distribution takes in the store, its byte code too."""
    top, size = join(Store(locations.data).top, one.sha256), 0
    for above, _, names in os.walk(top) if one.sha256 else ():
        size += sum(os.lstat(join(above, name)).st_blocks * 512 for name in names)
    return size
