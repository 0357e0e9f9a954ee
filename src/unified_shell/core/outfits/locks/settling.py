"""Settling the packages of an environment once for each target, and merging the sets into one lock."""

from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace
from packaging.requirements import Requirement
from packaging.specifiers import SpecifierSet

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.errors import NoSolution
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.questions import Candidate, Solution
from unified_shell.core.resolution.reading_metadata import MetadataReader

from .targets import LockTarget

__all__ = ["LockedPackage", "lock_packages"]


class LockedPackage(Struct, frozen=True, kw_only=True):
    """One version of a project with all files that a target takes of it; `targets` are the names of those that have it,
    `marker` tells them from the others and is empty where all have it. `needs` are the projects that it requires.
    """

    name: NormalizedName
    version: str
    files: tuple[IndexFile, ...]
    targets: tuple[str, ...]
    marker: str = ""
    index: str = ""
    requires_python: str = ""
    needs: tuple[NormalizedName, ...] = ()


def lock_packages(
    requests: Sequence[Requirement],
    targets: Sequence[LockTarget],
    client: IndexClient,
    cache: str,
    *,
    kept: Mapping[NormalizedName, str],
    progress: Callable[[str], None],
) -> tuple[LockedPackage, ...]:
    """Return what is locked: one solve a target, each preferring the versions that were chosen before, and first of all those
    that are `kept` from an earlier lock.

    Raises NoSolution where a target has none; what could only be built here is no candidate for any.
    """
    preferred = dict(kept)
    solutions: list[tuple[LockTarget, Solution]] = []
    for one in targets:
        progress(f"settle {one.name}")
        solution = _settled(requests, one, client, cache, preferred=preferred)
        solutions.append((one, solution))
        for name, candidate in solution.chosen.items():
            preferred.setdefault(name, candidate.version)
    reader = MetadataReader(client, cache)
    rows: dict[tuple[NormalizedName, str], list[_Chosen]] = {}
    for target, solution in solutions:
        for name, candidate in solution.chosen.items():
            chosen = _Chosen(target=target, candidate=candidate, beside=frozenset(solution.chosen))
            rows.setdefault((name, candidate.version), []).append(chosen)
    locked = [_merged(name, version, found, targets, reader) for (name, version), found in rows.items()]
    return tuple(sorted(locked, key=lambda one: (one.name, one.version)))


def _settled(
    requests: Sequence[Requirement],
    target: LockTarget,
    client: IndexClient,
    cache: str,
    *,
    preferred: Mapping[NormalizedName, str],
) -> Solution:
    """Solve with the preferred versions as bounds; where that has no solution, without those that stand in its way."""
    bounds = dict(preferred)
    while True:
        pins = tuple(Requirement(f"{name}=={version}") for name, version in bounds.items())
        rules = replace(target.target.rules, constraints=(*target.target.rules.constraints, *pins))
        try:
            return run_solver(requests, replace(target.target, rules=rules), client, {}, cache)
        except NoSolution as error:
            named = {name for name in bounds if name in str(error).lower()}
            if not bounds:
                raise
            bounds = {name: version for name, version in bounds.items() if name not in named} if named else {}


class _Chosen(Struct, frozen=True, kw_only=True):
    """A candidate that a target takes, and the projects that it takes beside it."""

    target: LockTarget
    candidate: Candidate
    beside: frozenset[NormalizedName]


def _merged(
    name: NormalizedName,
    version: str,
    found: Sequence[_Chosen],
    targets: Sequence[LockTarget],
    reader: MetadataReader,
) -> LockedPackage:
    files = {one.candidate.file.name: one.candidate.file for one in found}
    having = [one.target for one in found]
    needs: dict[NormalizedName, None] = {}
    for one in found:
        metadata = reader.read(one.candidate)
        for requirement in map(Requirement, metadata.requires):
            needed = canonicalize_name(requirement.name)
            if needed in one.beside and applies(requirement, one.target.target.markers, metadata.extras):
                needs[needed] = None
    bounds = {one.candidate.file.requires_python for one in found} - {""}
    return LockedPackage(
        name=name,
        version=version,
        files=tuple(files[each] for each in sorted(files)),
        targets=tuple(one.name for one in having),
        marker="" if len(having) == len(targets) else " or ".join(one.marker for one in having),
        index=found[0].candidate.index,
        requires_python=str(SpecifierSet(",".join(sorted(bounds)))) if bounds else "",
        needs=tuple(needs),
    )
