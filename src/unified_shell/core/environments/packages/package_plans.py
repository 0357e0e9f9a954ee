"""What a person reads before packages are changed: what comes, goes and stays, who asked for it, and what it costs."""

import os
from collections.abc import Mapping, Sequence, Sized

from msgspec import Struct

from unified_shell.core.changes.plan import About, LineKind, Plan, PlanLine, plan_line
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.distributions.wheel_preview import Brought
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.trees.editions import unrecorded_files
from unified_shell.core.errors import TransferFailed
from unified_shell.core.indexes.file_cache import FileCache
from unified_shell.core.machine.files.disks import read_disk
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.resolution.questions import Solution
from unified_shell.core.store.contents import Store
from unified_shell.core.transfers.addresses import place_of_address

from .package_lines import change_lines, summed
from .time_estimates import expected_seconds

__all__ = ["carried_lines", "check_all_here", "package_plan"]

# Wheels are compressed, and byte code comes beside what they hold; a wheel whose own list of files was read is
# counted by that.
UNPACKED_RATIO = 5
MOST_LICENCES = 5
MOST_COMMANDS = 8
MOST_IMPORTS = 5
MOST_NAMED = 4
MOST_CARRIED = 3


def package_plan(
    environment: Environment,
    distributions: Sequence[Distribution],
    solution: Solution,
    brought: Mapping[NormalizedName, Brought],
    locations: Locations,
    *,
    aim: str,
    left_out: Mapping[NormalizedName, Sequence[str]],
) -> Plan:
    """Return the plan of a change to these distributions; `brought` is what new ones bring, as far as it is known;
    `left_out` are rows of their pages that are not as the standard has them.
    """
    known = set(environment.contents.distributions)
    new = [one for one in distributions if one not in known]
    stock = _stock(distributions, solution, locations)
    size = sum(stock.to_fetch.values())
    room = _room(stock.to_fetch, brought)
    return Plan(
        aim=aim,
        lines=(
            *change_lines(environment, distributions, solution, locations, {**stock.to_fetch, **stock.fetched}),
            *_doubt_lines(new, solution),
            *_build_lines(distributions),
            *(
                (*_download_lines(stock, room, locations), *_cached_lines(stock, brought))
                or (plan_line(LineKind.NOTE, About.ALL_IN_CACHE),)
            ),
            *_disk_lines(room + _room(stock.fetched, brought), locations),
            *_licence_lines(new, solution, brought),
            *_command_lines(new, brought),
            *_import_lines(new, brought),
            *_start_lines(new, brought),
            *carried_lines(environment),
            *_left_out_lines(left_out),
        ),
        download_bytes=size,
        disk_bytes=room,
        # One that is made by the same change relies on nothing before it.
        relies_on=(f"environment {environment.name}",) if environment.edition else (),
    )


def _doubt_lines(new: Sequence[Distribution], solution: Solution) -> tuple[PlanLine, ...]:
    """Say what was asked for and may not be what is meant: extras that there are not, versions that were withdrawn."""
    lines = []
    for name, (unknown, has) in solution.unknown_extras.items():
        version = solution.chosen[name].version
        told = plan_line(
            LineKind.WARNING, About.UNKNOWN_EXTRA, name=name, version=version, extra=unknown, extras=tuple(has)
        )
        lines.append(told)
    for one in new:
        why = solution.chosen[one.name].file.yanked
        if why:
            reason = "" if why == "yes" else why
            lines.append(
                plan_line(LineKind.WARNING, About.WITHDRAWN, name=one.name, version=one.version, reason=reason)
            )
    return tuple(lines)


class _Stock(Struct, frozen=True, kw_only=True):
    """Wheels that the store does not hold, with their sizes in bytes: to be fetched, or fetched already."""

    to_fetch: Mapping[NormalizedName, int]
    fetched: Mapping[NormalizedName, int]
    is_size_unknown: bool


def check_all_here(distributions: Sequence[Distribution], solution: Solution, locations: Locations) -> None:
    """Raise TransferFailed where a wheel would have to be fetched: for a call that may fetch nothing."""
    lacking = _stock(distributions, solution, locations).to_fetch
    # What an index that is a folder has is here already.
    if names := sorted(n for n in lacking if place_of_address(solution.chosen[n].file.address) is None):
        raise TransferFailed(
            f"{_count(names, 'file')} would have to be downloaded: {summed(names, MOST_NAMED)}",
            again_without=("--offline",),
        )


def _stock(distributions: Sequence[Distribution], solution: Solution, locations: Locations) -> _Stock:
    store = Store(locations.data)
    to_fetch, fetched, unknown = {}, {}, False
    for one in distributions:
        path = FileCache(locations.cache).file(one.sha256, one.wheel)
        if os.path.isdir(join(store.top, one.sha256)):
            continue
        if os.path.exists(path):
            fetched[one.name] = os.path.getsize(path)
        else:
            told = solution.chosen[one.name].file.size_bytes
            to_fetch[one.name] = max(told, 0)
            unknown = unknown or told < 0
    return _Stock(to_fetch=to_fetch, fetched=fetched, is_size_unknown=unknown)


def _room(sizes: Mapping[NormalizedName, int], brought: Mapping[NormalizedName, Brought]) -> int:
    """Return the bytes on disk that wheels of these sizes come to, guessed for those that were not looked into."""
    return sum(brought[name].disk_bytes if name in brought else size * UNPACKED_RATIO for name, size in sizes.items())


def _download_lines(stock: _Stock, room: int, locations: Locations) -> tuple[PlanLine, ...]:
    if not stock.to_fetch:
        return ()
    size, free = sum(stock.to_fetch.values()), read_disk(locations.data).free_bytes
    seconds = expected_seconds(locations.cache, len(stock.to_fetch), size, fetched=True)
    line = plan_line(
        LineKind.DOWNLOAD,
        About.DOWNLOAD,
        files=len(stock.to_fetch),
        size_bytes="" if stock.is_size_unknown and not size else size,
        disk_bytes=room or "",
        free_bytes=free if room else "",
        seconds=seconds if seconds >= 1 else "",
    )
    return (line,)


def _disk_lines(room: int, locations: Locations) -> tuple[PlanLine, ...]:
    """Warn where all that is to be unpacked, fetched already or not, is more than the disk has."""
    free = read_disk(locations.data).free_bytes
    if room <= free:
        return ()
    return (plan_line(LineKind.WARNING, About.DISK_TOO_SMALL, needed_bytes=room, free_bytes=free),)


def _start_lines(new: Sequence[Distribution], brought: Mapping[NormalizedName, Brought]) -> tuple[PlanLine, ...]:
    """Name what runs code whenever the environment's Python starts, whatever it is started for."""
    return tuple(
        plan_line(LineKind.WARNING, About.RUNS_AT_START, name=one.name, files=tuple(brought[one.name].runs_at_start))
        for one in new
        if one.name in brought and brought[one.name].runs_at_start
    )


def _left_out_lines(left_out: Mapping[NormalizedName, Sequence[str]]) -> tuple[PlanLine, ...]:
    return tuple(
        plan_line(LineKind.WARNING, About.ROWS_IGNORED, name=name, rows=tuple(rows))
        for name, rows in left_out.items()
    )


def _count(things: Sized, name: str) -> str:
    return f"{len(things)} {name}{'' if len(things) == 1 else 's'}"


def _cached_lines(stock: _Stock, brought: Mapping[NormalizedName, Brought]) -> tuple[PlanLine, ...]:
    """Say which wheels were fetched already: where an index has no metadata apart, to read theirs."""
    if not stock.fetched:
        return ()
    line = plan_line(
        LineKind.NOTE,
        About.DOWNLOADED_ALREADY,
        files=len(stock.fetched),
        size_bytes=sum(stock.fetched.values()),
        disk_bytes=_room(stock.fetched, brought),
    )
    return (line,)


def _licence_lines(
    new: Sequence[Distribution], solution: Solution, brought: Mapping[NormalizedName, Brought]
) -> tuple[PlanLine, ...]:
    """Sum up the licences of what is new; in full, say whose each one is."""
    holders: dict[str, list[str]] = {}
    for one in new:
        told = solution.licences.get(one.name, "") or (brought[one.name].licence if one.name in brought else "")
        holders.setdefault(told or "not told", []).append(one.name)
    by_count = sorted(holders.items(), key=lambda pair: (-len(pair[1]), pair[0]))
    counted = tuple(f"{len(names)} {licence}" for licence, names in by_count)
    full = tuple(f"{licence}: {', '.join(names)}" for licence, names in by_count)
    return (plan_line(LineKind.NOTE, About.LICENCES, licences=counted, in_full=full),) if holders else ()


def _command_lines(new: Sequence[Distribution], brought: Mapping[NormalizedName, Brought]) -> tuple[PlanLine, ...]:
    """Say which commands will appear, and whose contents are told afterwards only."""
    by_project = {one.name: brought[one.name].commands for one in new if one.name in brought}
    commands = list(dict.fromkeys(command for each in by_project.values() for command in each))
    lines = []
    if commands:
        full = tuple(f"{name}: {', '.join(each)}" for name, each in by_project.items() if each)
        lines.append(plan_line(LineKind.NOTE, About.NEW_COMMANDS, commands=tuple(commands), in_full=full))
    unknown = [one.name for one in new if one.name not in brought]
    if unknown:
        lines.append(plan_line(LineKind.NOTE, About.COMMANDS_LATER, packages=tuple(unknown), in_full=tuple(unknown)))
    return tuple(lines)


def _import_lines(new: Sequence[Distribution], brought: Mapping[NormalizedName, Brought]) -> tuple[PlanLine, ...]:
    """Say which projects are imported by another name than their own."""
    others = [
        f"{one.name} as {imports[0]}"
        for one in new
        if one.name in brought
        and (imports := brought[one.name].imports)
        and canonicalize_name(imports[0]) != one.name
    ]
    if not others:
        return ()
    return (plan_line(LineKind.NOTE, About.IMPORT_NAMES, names=tuple(others), in_full=tuple(others)),)


def carried_lines(environment: Environment) -> tuple[PlanLine, ...]:
    """Say which files of no distribution go along into the next edition."""
    files = unrecorded_files(environment.layout)
    if not files:
        return ()
    return (plan_line(LineKind.NOTE, About.UNOWNED_CARRIED, files=tuple(files), in_full=tuple(files)),)


def _build_lines(distributions: Sequence[Distribution]) -> tuple[PlanLine, ...]:
    return tuple(
        plan_line(LineKind.WARNING, About.BUILT_HERE, name=one.name, version=one.version, source=one.wheel)
        for one in distributions
        if is_source_name(one.wheel)
    )
