"""Installing what a lock file holds, without a solver, and telling how an environment drifted from it.

Source: the standard for Python lock files (PEP 751); the library reads it and selects, the hashes are ours to hold to.
"""

import os
import tomllib
import urllib.parse
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace
from packaging.version import Version

from unified_shell.core.changes.plan import Change
from unified_shell.core.distributions.file_names import parse_file_name
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.sources import source_parts
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.environments.builds.source_builds import SourceBuilder
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.contents import Contents
from unified_shell.core.environments.model.registry import Environment, check_changeable
from unified_shell.core.errors import CouldNot, Refused, UsageError, os_error_reason
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.files.digests import digest_of_file, parse_sha256
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush
from unified_shell.core.resolution.questions import Candidate, Solution
from unified_shell.core.resolution.target import Rules
from unified_shell.core.transfers.addresses import address_of_folder, check_no_password, place_of_address

from .getting import target_of
from .package_change import PackageChange, with_overlap
from .requests import Requests

if TYPE_CHECKING:
    from packaging.pylock import Package, PackageSdist, PackageWheel, Pylock

__all__ = ["LockRequest", "drift_from_lock", "files_of_lock", "plan_lock", "versions_of_lock"]


class LockRequest(Struct, frozen=True, kw_only=True):
    """A lock file, the extras and groups of it that are wanted, and what may be built."""

    path: str
    rules: Rules
    extras: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    # What was asked for, as pairs of a project and its requirement; without it, what nothing else needs counts as that.
    said: tuple[tuple[NormalizedName, str], ...] = ()
    overlap: frozenset[NormalizedName] = frozenset()


def plan_lock(
    request: LockRequest,
    environment: Environment,
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to have exactly what a lock file holds for an environment's interpreter; raises as reading and selecting do."""
    check_changeable(environment)
    facts = base_of(environment, host)
    path = os.path.abspath(os.path.join(host.working_directory, request.path))
    lock = _read(path)
    chosen = {name: _at_hand(one, client) for name, one in _selected(lock, path, facts, request).items()}
    needed = {str(one["name"]) for each in lock.packages for one in each.dependencies or ()}
    # Where all need each other, or the lock does not say who needs what, all are asked for.
    roots = [name for name in chosen if name not in needed] or list(chosen)
    solution = Solution(
        chosen=chosen,
        asked_by={name: (f"{os.path.basename(path)} holds {name} {one.version}",) for name, one in chosen.items()},
    )
    builder = SourceBuilder(
        facts=facts, client=client, host=host, locations=locations, progress=progress, rules=request.rules
    )
    settled = PackageChange(environment=environment, facts=facts, client=client, locations=locations, builder=builder)
    name = environment.name
    return settled.change(
        solution,
        Requests(meant=(), said=_said(request, chosen) or {one: (f"{one}=={chosen[one].version}",) for one in roots}),
        _locked(environment, path, request),
        aim=f"Make the environment {name} match {request.path}",
        nothing=f"the environment {name} matches {request.path}",
    )


def files_of_lock(path: str) -> tuple[Candidate, ...]:
    """Return every file that a lock file names, for whichever machine; raises as reading does."""
    found = []
    for package in _read(path).packages:
        files: list[PackageWheel | PackageSdist] = list(package.wheels or ())
        if package.sdist is not None and not files:
            files.append(package.sdist)
        found += [_candidate(package, one, path) for one in files]
    return tuple(found)


def drift_from_lock(environment: Environment, facts: InterpreterFacts) -> tuple[str, ...]:
    """Return how an environment differs from the lock that it was made from, a line each; none where it does not.

    Raises CouldNot and UsageError where the lock is gone, or cannot be read.
    """
    path = environment.contents.lock
    contents = environment.contents
    request = LockRequest(path=path, rules=Rules(), extras=contents.lock_extras, groups=contents.lock_groups)
    locked = _selected(_read(path), path, facts, request, judge=False)
    lines = []
    for one in environment.contents.distributions:
        candidate = locked.pop(one.name, None)
        if candidate is None:
            lines.append(f"{one.name} {one.version} is not in the lock")
        elif Version(candidate.version) != Version(one.version):
            lines.append(f"{one.name} is {one.version}, locked is {candidate.version}")
        elif candidate.file.sha256 not in (one.sha256, one.source_sha256):
            lines.append(f"{one.name} {one.version} is another file than the locked one")
    return (*lines, *(f"{name} {one.version} is locked, but not installed" for name, one in locked.items()))


def versions_of_lock(path: str, facts: InterpreterFacts) -> dict[NormalizedName, str]:
    """Return the version of each project that a lock selects for an interpreter, by project; raises as reading and selecting do."""
    selected = _selected(_read(path), path, facts, LockRequest(path=path, rules=Rules()), judge=False)
    return {name: one.version for name, one in selected.items()}


def _at_hand(one: Candidate, client: IndexClient) -> Candidate:
    """Return a candidate from an index that is a folder of this machine, where one has the same file: no server is asked."""
    for index in client.indexes:
        folder = place_of_address(index.address)
        path = os.path.join(folder, one.file.name) if folder is not None else ""
        if path and os.path.isfile(path) and digest_of_file(path) == one.file.sha256:
            return replace(one, file=replace(one.file, address=Path(path).as_uri()), index=index.name)
    return one


def _said(request: LockRequest, chosen: Mapping[NormalizedName, Candidate]) -> dict[NormalizedName, tuple[str, ...]]:
    """Return what was asked for of what is chosen, by project."""
    found: dict[NormalizedName, tuple[str, ...]] = {}
    for name, text in request.said:
        if name in chosen:
            found[name] = (*found.get(name, ()), text)
    return found


def _locked(environment: Environment, path: str, request: LockRequest) -> Contents:
    return replace(
        environment.contents,
        lock=path,
        lock_extras=request.extras,
        lock_groups=request.groups,
        constraints=(),
        overrides=(),
        overlap=with_overlap(environment.contents.overlap, request.overlap),
    )


def _read(path: str) -> "Pylock":
    from packaging.pylock import Pylock, PylockValidationError

    name = os.path.basename(path)
    try:
        with open(path, "rb") as file:
            return Pylock.from_dict(tomllib.load(file))
    except OSError as error:
        raise CouldNot(f"{path} cannot be read: {os_error_reason(error)}", next_step="check its name") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise UsageError(f"{name} is not valid TOML: {error}", next_step="mend it, or lock anew") from error
    except PylockValidationError as error:
        raise UsageError(f"{name} is not a standard lock file: {error}", next_step="lock anew") from error


def _selected(
    lock: "Pylock",
    path: str,
    facts: InterpreterFacts,
    request: LockRequest,
    *,
    judge: bool = True,
) -> dict[NormalizedName, Candidate]:
    """Return what the lock selects for an interpreter; with `judge`, what cannot be had from it is refused."""
    from packaging.pylock import PylockSelectError

    target = target_of(facts)
    try:
        selected = list(
            lock.select(
                environment=target.markers,  # type: ignore[arg-type]
                tags=target.tags,
                extras=request.extras,
                dependency_groups=request.groups or None,
                prefer_sdist_predicate=lambda name: name in request.rules.from_source,
            )
        )
    except PylockSelectError as error:
        raise CouldNot(
            f"{os.path.basename(path)} has nothing for {facts.title} here: {error}",
            next_step=ush("environment", "new", "NAME", "--interpreter", "VERSION", why="one that was locked for"),
        ) from error
    found = {}
    for package, file in selected:
        found[package.name] = _candidate(package, file, path)
        if judge:
            _check_source(found[package.name], request.rules)
    return found


def _check_source(one: Candidate, rules: Rules) -> None:
    if not one.file.name.endswith(".whl") and not rules.may_build(one.project):
        raise Refused(
            f"{one.project} {one.version} is locked as a source distribution, which would have to be built",
            again_with=("--allow-build", one.project),
            next_step="(building runs its code on this machine)",
        )


def _candidate(package: "Package", file: object, path: str) -> Candidate:
    from packaging.pylock import PackageArchive, PackageDirectory, PackageVcs

    where = f"packages, {package.name}"
    if isinstance(file, PackageVcs | PackageDirectory):
        kind = "version control" if isinstance(file, PackageVcs) else "a folder"
        raise UsageError(
            f"{os.path.basename(path)} takes {package.name} from {kind}, which this version does not support",
            next_step="lock it as a wheel or source distribution",
        )
    found: PackageWheel | PackageSdist | PackageArchive = file  # type: ignore[assignment]
    sha256 = parse_sha256(found.hashes.get("sha256", ""))
    if sha256 is None:
        raise UsageError(f"{os.path.basename(path)} gives no SHA-256 for {package.name}", where=where)
    address = found.url or ""
    check_no_password(address)
    if found.path:
        address = address_of_folder(os.path.normpath(os.path.join(os.path.dirname(path), found.path)))
    name = os.path.basename(urllib.parse.unquote(urllib.parse.urlsplit(address).path))
    if not isinstance(found, PackageArchive):
        name = found.filename
    checked = parse_file_name(name)
    if checked is None:
        raise UsageError(
            f"{os.path.basename(path)} gives {name!r} as the file of {package.name}, which is not a file name",
            where=where,
            next_step="lock anew",
        )
    return Candidate(
        project=package.name,
        version=str(package.version or _version_in(name)),
        file=IndexFile(name=checked, address=address, sha256=sha256, size_bytes=found.size or -1),
        index="",
        direct=isinstance(found, PackageArchive),
    )


def _version_in(name: str) -> str:
    wheel, source = parse_wheel_name(name), source_parts(name)
    return str(wheel.version) if wheel is not None else source.version if source is not None else "0"
