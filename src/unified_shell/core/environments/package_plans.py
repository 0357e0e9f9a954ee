"""What a person reads before packages are changed: what comes, goes and stays, who asked for it, and what it costs."""

import os
from collections import Counter
from collections.abc import Sequence

from unified_shell.core.changes.plan import LineKind, Plan, PlanLine
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.disks import read_disk, shown_size
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.resolution.questions import Solution
from unified_shell.core.store.contents import Store

from .contents import Distribution
from .editions import unrecorded_files
from .expected_time import expected_seconds
from .known import Environment

__all__ = ["carried_lines", "package_plan"]

UNPACKED_RATIO = 5
MOST_LICENCES = 5


def package_plan(
    environment: Environment,
    distributions: Sequence[Distribution],
    solution: Solution,
    locations: Locations,
    *,
    words: str,
    aim: str,
) -> Plan:
    """Return the plan of a change to these distributions."""
    downloads = _to_fetch(distributions, solution, locations)
    size = sum(max(one.size_bytes, 0) for one in downloads)
    return Plan(
        words=words,
        aim=aim,
        lines=(
            *_lines(environment, distributions, solution),
            *_build_lines(distributions),
            *(
                (*_download_lines(downloads, size, locations), *_cached_lines(distributions, locations))
                or (PlanLine(kind=LineKind.NOTE, subject="all files are here; nothing is to be fetched"),)
            ),
            *_licence_lines(environment, distributions, solution),
            *carried_lines(environment),
        ),
        download_bytes=size,
        disk_bytes=size * UNPACKED_RATIO,
        # One that is made by the same change relies on nothing before it.
        relies_on=(f"environment {environment.name}",) if environment.edition else (),
    )


def _lines(
    environment: Environment, distributions: Sequence[Distribution], solution: Solution
) -> tuple[PlanLine, ...]:
    lines = []
    for one in distributions:
        before = environment.contents.find(one.name)
        asked = "; ".join(dict.fromkeys(solution.asked_by[one.name]))
        if before is None:
            lines.append(PlanLine(kind=LineKind.ADD, subject=f"{one.name} {one.version}", detail=asked))
        elif before.version != one.version:
            subject = f"{one.name} {before.version} → {one.version}"
            lines.append(PlanLine(kind=LineKind.CHANGE, subject=subject, detail=asked))
    names = {one.name for one in distributions}
    lines += [
        PlanLine(kind=LineKind.REMOVE, subject=f"{one.name} {one.version}", detail="nothing needs it any more")
        for one in environment.contents.distributions
        if one.name not in names
    ]
    kept = len(distributions) - sum(1 for line in lines if line.kind is not LineKind.REMOVE)
    if kept:
        lines.append(PlanLine(kind=LineKind.KEEP, subject=f"{kept} that are there stay as they are"))
    return tuple(lines)


def _to_fetch(distributions: Sequence[Distribution], solution: Solution, locations: Locations) -> list[IndexFile]:
    store = Store(locations.data)
    return [
        solution.chosen[one.name].file
        for one in distributions
        if not os.path.isdir(join(store.top, one.sha256))
        and not os.path.exists(join(locations.cache, "wheels", one.sha256, one.wheel))
    ]


def _download_lines(downloads: Sequence[IndexFile], size_bytes: int, locations: Locations) -> tuple[PlanLine, ...]:
    if not downloads:
        return ()
    need, free = size_bytes * UNPACKED_RATIO, read_disk(locations.data).free_bytes
    seconds = expected_seconds(locations.cache, size_bytes)
    count = f"{len(downloads)} file{'s' if len(downloads) > 1 else ''}"
    unknown = any(one.size_bytes < 0 for one in downloads)
    size = "of unknown size" if unknown and not size_bytes else shown_size(size_bytes)
    told = [f"about {shown_size(need)} on disk, free are {shown_size(free)}"] if size_bytes else []
    told += [f"about {_time(seconds)}"] if seconds >= 1 else []
    lines = [PlanLine(kind=LineKind.DOWNLOAD, subject=f"{count}, {size}", detail="; ".join(told))]
    if need > free:
        lines.append(PlanLine(kind=LineKind.WARNING, subject="the disk is likely to be too small for that"))
    return tuple(lines)


def _time(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"


def _licence_lines(
    environment: Environment, distributions: Sequence[Distribution], solution: Solution
) -> tuple[PlanLine, ...]:
    """Sum up the licences of what is new; each is in the list of packages."""
    known = set(environment.contents.distributions)
    counts = Counter(solution.licences.get(one.name, "") or "not told" for one in distributions if one not in known)
    if not counts:
        return ()
    told = ", ".join(f"{count} {name}" for name, count in counts.most_common(MOST_LICENCES))
    more = len(counts) - MOST_LICENCES
    others = f" and {more} others" if more > 0 else ""
    return (PlanLine(kind=LineKind.NOTE, subject="licences", detail=f"{told}{others}"),)


def _cached_lines(distributions: Sequence[Distribution], locations: Locations) -> tuple[PlanLine, ...]:
    """Say which wheels were fetched already: where an index has no metadata apart, to read theirs."""
    store = Store(locations.data)
    paths = [
        join(locations.cache, "wheels", one.sha256, one.wheel)
        for one in distributions
        if not os.path.isdir(join(store.top, one.sha256))
    ]
    sizes = [os.path.getsize(path) for path in paths if os.path.exists(path)]
    if not sizes:
        return ()
    count = f"{len(sizes)} file{'s' if len(sizes) > 1 else ''}"
    detail = f"about {shown_size(sum(sizes) * UNPACKED_RATIO)} on disk"
    return (
        PlanLine(kind=LineKind.NOTE, subject=f"{count}, {shown_size(sum(sizes))}, fetched already", detail=detail),
    )


def carried_lines(environment: Environment) -> tuple[PlanLine, ...]:
    """Say which files of no distribution go along into the next edition."""
    files = unrecorded_files(environment.prefix, environment.short_version)
    if not files:
        return ()
    more = f" and {len(files) - 3} more" if len(files) > 3 else ""
    return (
        PlanLine(
            kind=LineKind.NOTE,
            subject=f"carried over, though no package brought them: {', '.join(files[:3])}{more}",
        ),
    )


def _build_lines(distributions: Sequence[Distribution]) -> tuple[PlanLine, ...]:
    return tuple(
        PlanLine(
            kind=LineKind.WARNING,
            subject=f"{one.name} {one.version} is built here from {one.wheel}",
            detail="its own code runs for that, with your rights",
        )
        for one in distributions
        if is_source_name(one.wheel)
    )
