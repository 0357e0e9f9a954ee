"""Answering the solver's questions from indexes, caches and what is present."""

import contextlib
import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Generic, TypeVar

from packaging.requirements import InvalidRequirement, Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.tags import Tag, parse_tag
from packaging.utils import NormalizedName, canonicalize_name
from packaging.version import InvalidVersion, Version

from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.tags import rank_of, tag_ranks
from unified_shell.core.distributions.wheels import metadata_of_open_wheel, read_metadata_of_wheel, wheel_parts
from unified_shell.core.errors import CouldNot, HashDiffers, TransferFailed, UshError
from unified_shell.core.indexes.client import Found, IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.cached_files import write_cached
from unified_shell.core.machine.digests import digest_of_bytes
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.places import join
from unified_shell.core.machine.pool import map_at_once
from unified_shell.core.transfers.addresses import place_of_address
from unified_shell.core.transfers.ranges import RangesRefused, RemoteFile

from .kept_listings import keep_listing, kept_listing
from .questions import AskRequirements, AskVersions, Candidate, Listing, Requirements, Solution
from .solver import solve

__all__ = ["Present", "Target", "fetch_wheel", "run_solver"]

Read = TypeVar("Read")


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """What is solved for: marker values, fitting tags (best first), and the Python version as text.

    Nothing that was uploaded after `as_of` counts (a date and time in ISO 8601, UTC; empty: all does); with `lowest`,
    the oldest versions that fit are wanted.
    """

    markers: Mapping[str, str]
    tags: tuple[Tag, ...]
    python: str
    as_of: str = ""
    lowest: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Present:
    """A distribution that the environment has, with its metadata: asked of no index."""

    candidate: Candidate
    metadata: Metadata


def run_solver(
    requests: Sequence[Requirement],
    target: Target,
    client: IndexClient,
    present: Mapping[NormalizedName, Present],
    cache: str,
) -> Solution:
    """Return a solution; reads index pages and metadata, writes wheels to the cache where it must."""
    answers = _Answers(target, client, present, cache)
    answers.look_ahead([canonicalize_name(one.name) for one in requests])
    asking = solve(requests, target.markers, lowest=target.lowest)
    try:
        question = next(asking)
        while True:
            question = asking.send(answers.answer(question))
    except StopIteration as stop:
        solution: Solution = stop.value
        return solution


def fetch_wheel(file: IndexFile, client: IndexClient, cache: str) -> str:
    """Return the path of a wheel whose hash is right: here already, in the cache, or downloaded to it."""
    if not file.sha256:
        raise CouldNot(f"the index gives no SHA-256 for {file.name}; nothing is unpacked without one")
    path = join(cache, "wheels", file.sha256, file.name)
    if not os.path.exists(path):
        client.fetcher.download(file.address, path, sha256=file.sha256)
    return path


class _Answers:
    def __init__(
        self, target: Target, client: IndexClient, present: Mapping[NormalizedName, Present], cache: str
    ) -> None:
        self._target, self._client, self._present, self._cache = target, client, present, cache
        self._ranks = tag_ranks(target.tags)
        told = "\0".join((target.python, target.as_of, *map(str, target.tags)))
        self._target_key = digest_of_bytes(told.encode())
        # Thousands of files share a few hundred versions, tags and specifiers: each is read once.
        self._rank_of: dict[str, int | None] = {}
        self._python_fits: dict[str, bool] = {"": True}
        self._names = _Once(canonicalize_name)
        self._versions = _Once(_version)
        self._listings: dict[NormalizedName, Listing] = {}
        self._requirements: dict[tuple[NormalizedName, str], Requirements] = {}

    def answer(self, question: AskVersions | AskRequirements) -> Listing | Requirements:
        if isinstance(question, AskVersions):
            if question.project not in self._listings:
                self._listings[question.project] = self._listing(question.project)
            return self._listings[question.project]
        candidate = question.candidate
        key = (candidate.project, candidate.version)
        if key not in self._requirements:
            self._requirements[key] = self._read_requirements(candidate)
        told = self._requirements[key]
        self.look_ahead([canonicalize_name(one.name) for one in told.requires if self._may_apply(one)])
        return told

    def look_ahead(self, projects: Sequence[NormalizedName]) -> None:
        """Read pages, and the metadata of the newest version, of several projects at once: they will be asked for.

        What goes wrong here is told when it is asked for.
        """
        new = [one for one in dict.fromkeys(projects) if one not in self._listings]
        map_at_once(self._look_ahead_at, new)

    def _look_ahead_at(self, project: NormalizedName) -> None:
        with contextlib.suppress(UshError):
            listing = self._listings[project] = self._listing(project)
            finals = [one for one in listing.candidates if not Version(one.version).is_prerelease]
            here = [one for one in listing.candidates if one.present]
            for one in (here or finals)[:1]:
                self._requirements[one.project, one.version] = self._read_requirements(one)

    def _may_apply(self, requirement: Requirement) -> bool:
        return requirement.marker is None or requirement.marker.evaluate({**self._target.markers, "extra": ""})

    def _listing(self, project: NormalizedName) -> Listing:
        here = self._present.get(project)
        try:
            found = self._client.find(project)
        except TransferFailed:
            # What is present needs no index; only another version of it would.
            if here is None:
                raise
            return Listing(candidates=(here.candidate,))
        listing = self._of_page(project, found)
        if here is None:
            return listing
        others = [one for one in listing.candidates if one.version != here.candidate.version]
        both = sorted((*others, here.candidate), key=lambda one: Version(one.version), reverse=True)
        return replace(listing, candidates=tuple(both))

    def _of_page(self, project: NormalizedName, found: Found) -> Listing:
        """Return what a page offers here, from what was kept where the page is the same."""
        if found.key and (kept := kept_listing(self._cache, f"{found.key} {found.index}", self._target_key)):
            return replace(kept, asked=found.asked)
        best, passed_over = self._best_wheels(project, found.files)
        listing = Listing(
            candidates=tuple(
                Candidate(project=project, version=str(version), file=best[version], index=found.index)
                for version in sorted(best, reverse=True)
            ),
            passed_over=passed_over,
            index=found.index,
            asked=found.asked,
        )
        if found.key:
            keep_listing(self._cache, f"{found.key} {found.index}", self._target_key, listing)
        return listing

    def _best_wheels(
        self, project: NormalizedName, files: Sequence[IndexFile]
    ) -> tuple[dict[Version, IndexFile], tuple[tuple[str, str], ...]]:
        best: dict[Version, tuple[tuple[int, tuple[int, str]], IndexFile]] = {}
        passed: dict[Version, str] = {}
        unfit: dict[Version, list[str]] = {}
        for file in files:
            parts = wheel_parts(file.name)
            if parts is None or self._names.of(parts.project) != project:
                continue
            version = self._versions.of(parts.version)
            if version is None:
                continue
            why_not, rank = self._why_not(file), self._rank(parts.tags)
            if why_not:
                passed[version] = why_not
                continue
            if rank is None:
                unfit.setdefault(version, []).append(parts.tags)
                passed[version] = _unfit(unfit[version])
                continue
            # A higher build number wins among wheels with the same tags.
            order = (-rank, parts.build)
            if version not in best or order > best[version][0]:
                best[version] = (order, file)
        newest_first = sorted((one for one in passed if one not in best), reverse=True)
        chosen = {version: file for version, (_, file) in best.items()}
        return chosen, tuple((str(one), passed[one]) for one in newest_first)

    def _rank(self, tags: str) -> int | None:
        if tags not in self._rank_of:
            try:
                self._rank_of[tags] = rank_of(parse_tag(tags), self._ranks)
            except ValueError:
                self._rank_of[tags] = None
        return self._rank_of[tags]

    def _why_not(self, file: IndexFile) -> str:
        if self._target.as_of and not file.uploaded:
            return "when it was published is not told by the index"
        if self._target.as_of and file.uploaded > self._target.as_of:
            return f"it was published later ({file.uploaded[:10]})"
        wanted = file.requires_python
        if wanted not in self._python_fits:
            try:
                fits = SpecifierSet(wanted).contains(self._target.python, prereleases=True)
            except InvalidSpecifier:
                fits = True
            self._python_fits[wanted] = fits
        return "" if self._python_fits[wanted] else f"it needs Python {wanted}, here is {self._target.python}"

    def _read_requirements(self, candidate: Candidate) -> Requirements:
        here = self._present.get(candidate.project)
        if here is not None and here.candidate == candidate:
            return _parse_requirements(here.metadata, self._target)
        try:
            return _parse_requirements(self._metadata(candidate), self._target)
        except (TransferFailed, HashDiffers):
            raise
        except UshError as error:
            return Requirements(requires=(), unusable=str(error))

    def _metadata(self, candidate: Candidate) -> Metadata:
        """Fetch the least: the metadata file where one is announced, else the end of the wheel, else the wheel."""
        file = candidate.file
        if place_of_address(file.address) is not None:
            return read_metadata_of_wheel(fetch_wheel(file, self._client, self._cache), candidate.project)
        kept = join(self._cache, "metadata", file.sha256 or "-", f"{file.name}.metadata")
        if file.sha256 and (found := read_file(kept)) is not None:
            return parse_metadata(found[0], file.name)
        content = self._announced(file) or self._from_its_end(file, candidate.project)
        if content is None:
            return read_metadata_of_wheel(fetch_wheel(file, self._client, self._cache), candidate.project)
        if file.sha256:
            write_cached(kept, content)
        return parse_metadata(content, file.name)

    def _announced(self, file: IndexFile) -> bytes | None:
        if not file.metadata_sha256:
            return None
        reply = self._client.fetcher.get(f"{file.address}.metadata")
        if reply.status != 200:
            return None
        if file.metadata_sha256 not in ("?", digest_of_bytes(reply.content)):
            raise HashDiffers(f"the metadata of {file.name} is not what the index promised")
        return reply.content

    def _from_its_end(self, file: IndexFile, project: NormalizedName) -> bytes | None:
        path = join(self._cache, "wheels", file.sha256, file.name)
        if os.path.exists(path):
            return None
        remote = RemoteFile(self._client.fetcher, file.address)
        try:
            return metadata_of_open_wheel(remote, project, file.name)
        except (RangesRefused, UshError):
            return None


def _unfit(tags: Sequence[str]) -> str:
    """Say what the wheels of a version are for: interpreters, then platforms."""
    split = [one.split("-") for one in tags]
    pythons = dict.fromkeys(python for one in split for python in one[0].split("."))
    platforms = dict.fromkeys(platform for one in split for platform in one[-1].split("."))
    return f"no wheel fits here; its wheels are for {_first(pythons)} on {_first(platforms)}"


def _first(names: Iterable[str], most: int = 4) -> str:
    every = list(names)
    return ", ".join(every[:most]) + (f" and {len(every) - most} more" if len(every) > most else "")


class _Once(Generic[Read]):
    """Texts that are read once each."""

    def __init__(self, read: Callable[[str], Read]) -> None:
        self._read, self._known = read, dict[str, Read]()

    def of(self, text: str) -> Read:
        """Return what a text is read as."""
        if text not in self._known:
            self._known[text] = self._read(text)
        return self._known[text]


def _version(text: str) -> Version | None:
    try:
        return Version(text)
    except InvalidVersion:
        return None


def _parse_requirements(metadata: Metadata, target: Target) -> Requirements:
    if metadata.requires_python:
        try:
            if not SpecifierSet(metadata.requires_python).contains(target.python, prereleases=True):
                why = f"it needs Python {metadata.requires_python}, here is {target.python}"
                return Requirements(requires=(), unusable=why)
        except InvalidSpecifier:
            pass
    try:
        requires = tuple(Requirement(text) for text in metadata.requires)
    except InvalidRequirement as error:
        return Requirements(requires=(), unusable=f"a requirement of it cannot be read: {error}")
    return Requirements(requires=requires, extras=tuple(NormalizedName(one) for one in metadata.extras))
