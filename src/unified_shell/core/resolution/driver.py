"""Answering the solver's questions from indexes, caches and what is present."""

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from packaging.requirements import InvalidRequirement, Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.tags import Tag
from packaging.utils import NormalizedName
from packaging.version import Version

from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.tags import rank_of
from unified_shell.core.distributions.wheels import parse_wheel_name, read_metadata_of_wheel
from unified_shell.core.errors import CouldNot, HashDiffers, TransferFailed, UshError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.digests import digest_of_bytes
from unified_shell.core.machine.places import join
from unified_shell.core.transfers.addresses import place_of_address

from .questions import AskRequirements, AskVersions, Candidate, Listing, Requirements, Solution
from .solver import solve

__all__ = ["Present", "Target", "fetch_wheel", "run_solver"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """What is solved for: marker values, fitting tags (best first), and the Python version as text."""

    markers: Mapping[str, str]
    tags: tuple[Tag, ...]
    python: str


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
    asking = solve(requests, target.markers)
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
        return self._requirements[key]

    def _listing(self, project: NormalizedName) -> Listing:
        here = self._present.get(project)
        try:
            found = self._client.find(project)
        except TransferFailed:
            # What is present needs no index; only another version of it would.
            if here is None:
                raise
            return Listing(candidates=(here.candidate,))
        best, passed_over = self._best_wheels(project, found.files)
        candidates = {
            version: Candidate(project=project, version=str(version), file=file, index=found.index)
            for version, file in best.items()
        }
        if here is not None:
            candidates[Version(here.candidate.version)] = here.candidate
        return Listing(
            candidates=tuple(candidates[version] for version in sorted(candidates, reverse=True)),
            passed_over=passed_over,
            index=found.index,
            asked=found.asked,
        )

    def _best_wheels(
        self, project: NormalizedName, files: Sequence[IndexFile]
    ) -> tuple[dict[Version, IndexFile], tuple[tuple[str, str], ...]]:
        best: dict[Version, tuple[tuple[int, object], IndexFile]] = {}
        passed: dict[str, str] = {}
        for file in files:
            name = parse_wheel_name(file.name)
            if name is None or name.project != project:
                continue
            why_not = self._why_not(file)
            rank = rank_of(tuple(name.tags), self._target.tags)
            if why_not or rank is None:
                passed[str(name.version)] = why_not or f"no wheel fits here ({file.name} does not)"
                continue
            # A higher build number wins among wheels with the same tags.
            order = (-rank, name.build)
            if name.version not in best or order > best[name.version][0]:
                best[name.version] = (order, file)
        newest_first = sorted((Version(one) for one in passed if Version(one) not in best), reverse=True)
        chosen = {version: file for version, (_, file) in best.items()}
        return chosen, tuple((str(one), passed[str(one)]) for one in newest_first)

    def _why_not(self, file: IndexFile) -> str:
        if not file.requires_python:
            return ""
        try:
            fits = SpecifierSet(file.requires_python).contains(self._target.python, prereleases=True)
        except InvalidSpecifier:
            return ""
        return "" if fits else f"it needs Python {file.requires_python}, here is {self._target.python}"

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
        file = candidate.file
        if file.metadata_sha256 and place_of_address(file.address) is None:
            reply = self._client.fetcher.get(f"{file.address}.metadata")
            if reply.status == 200:
                if file.metadata_sha256 not in ("?", digest_of_bytes(reply.content)):
                    raise HashDiffers(f"the metadata of {file.name} is not what the index promised")
                return parse_metadata(reply.content, file.name)
        return read_metadata_of_wheel(fetch_wheel(file, self._client, self._cache), candidate.project)


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
