"""Answers the solver's questions: index pages, metadata, what is installed. Thin; this is the part that does I/O."""

import contextlib
from collections.abc import Mapping, Sequence
from dataclasses import replace

from packaging.requirements import Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.versions import read_version
from unified_shell.core.errors import BuildFailed, HashDiffers, TransferFailed, UshError
from unified_shell.core.indexes.client import Found, IndexClient
from unified_shell.core.machine.digests import digest_of_bytes
from unified_shell.core.machine.pool import map_at_once

from .at_addresses import listing_at
from .kept_listings import keep_listing, kept_listing
from .offers import Offers
from .questions import AskRequirements, AskVersions, Candidate, Listing, Requirements, Solution
from .reading_metadata import MetadataReader, ReadSource, requirements_of
from .solver import solve
from .target import Present, Target

__all__ = ["run_solver"]


def run_solver(
    requests: Sequence[Requirement],
    target: Target,
    client: IndexClient,
    present: Mapping[NormalizedName, Present],
    cache: str,
    *,
    read_source: ReadSource | None = None,
) -> Solution:
    """Return a solution; reads index pages and metadata, writes wheels to the cache where it must.

    `read_source` tells the metadata of source distributions; it builds, so it is only asked for what may be built.
    """
    answers = _Answers(target, client, present, MetadataReader(client, cache, read_source))
    answers.look_ahead([canonicalize_name(one.name) for one in requests if not one.url])
    asking = solve(requests, target.markers, target.rules)
    try:
        question = next(asking)
        while True:
            question = asking.send(answers.answer(question))
    except StopIteration as stop:
        solution: Solution = stop.value
        return solution


class _Answers:
    def __init__(
        self, target: Target, client: IndexClient, present: Mapping[NormalizedName, Present], reader: MetadataReader
    ) -> None:
        self._target, self._client, self._present, self._reader = target, client, present, reader
        self._offers = Offers(target)
        told = "\0".join((target.python, target.rules.as_of, *map(str, target.tags)))
        self._target_key = digest_of_bytes(told.encode())
        self._listings: dict[AskVersions, Listing] = {}
        self._requirements: dict[tuple[NormalizedName, str], Requirements] = {}

    def answer(self, question: AskVersions | AskRequirements) -> Listing | Requirements:
        if isinstance(question, AskVersions):
            if question not in self._listings:
                self._listings[question] = self._listing(question)
            return self._listings[question]
        candidate = question.candidate
        key = (candidate.project, candidate.file.sha256 or candidate.version)
        if key not in self._requirements:
            self._requirements[key] = self._read_requirements(candidate)
        told = self._requirements[key]
        self.look_ahead([canonicalize_name(one.name) for one in told.requires if self._may_apply(one)])
        return told

    def look_ahead(self, projects: Sequence[NormalizedName]) -> None:
        """Read pages, and the metadata of the newest version, of several projects at once: they will be asked for.

        What goes wrong here is told when it is asked for.
        """
        new = [one for one in map(AskVersions, dict.fromkeys(projects)) if one not in self._listings]
        map_at_once(self._look_ahead_at, new)

    def _look_ahead_at(self, question: AskVersions) -> None:
        with contextlib.suppress(UshError):
            listing = self._listings[question] = self._listing(question)
            here = (one for one in listing.candidates if one.present)
            finals = (one for one in listing.candidates if not read_version(one.version).is_prerelease)
            likely = next(here, None) or next(finals, None)
            # Nothing is built that may not be needed.
            if likely is not None and not self._target.rules.may_build(likely.project):
                key = (likely.project, likely.file.sha256 or likely.version)
                self._requirements[key] = self._read_requirements(likely)

    def _may_apply(self, requirement: Requirement) -> bool:
        return not requirement.url and applies(requirement, self._target.markers)

    def _listing(self, question: AskVersions) -> Listing:
        project = question.project
        here = self._present.get(project)
        if question.address:
            return self._listing_at(question, here)
        if here is not None and here.candidate.direct:
            # It came from an address that nobody names any more.
            here = None
        try:
            found = self._client.find(project)
        except TransferFailed:
            # What is present needs no index; only another version of it would.
            if here is None:
                raise
            return Listing(candidates=(here.candidate,))
        listing = self._of_page(project, found)
        if here is None:
            return listing if found.index else replace(listing, near=self._client.nearest(project))
        others = [one for one in listing.candidates if one.version != here.candidate.version]
        passed = tuple(one for one in listing.passed_over if one[0] != here.candidate.version)
        both = sorted((*others, here.candidate), key=lambda one: read_version(one.version), reverse=True)
        return replace(listing, candidates=tuple(both), passed_over=passed)

    def _listing_at(self, question: AskVersions, here: Present | None) -> Listing:
        if here is not None and here.candidate.direct and here.candidate.file.address == question.address:
            return Listing(candidates=(here.candidate,))
        listing = listing_at(question.address, question.project, self._target, self._offers, self._reader)
        # What is written down is the address as it was asked for, with its fragment.
        candidates = tuple(
            replace(one, file=replace(one.file, address=question.address)) for one in listing.candidates
        )
        return replace(listing, candidates=candidates)

    def _of_page(self, project: NormalizedName, found: Found) -> Listing:
        """Return what a page offers here, from what was kept where the page is the same."""
        rules = self._target.rules
        how = f"{project in rules.from_source:d}{rules.may_build(project):d}"
        key = f"{found.key} {found.index} {how}"
        if found.key and (kept := kept_listing(self._reader.cache, key, self._target_key)):
            return replace(kept, asked=found.asked, left_out=found.left_out)
        listing = self._offers.listing(project, found.files, index=found.index, asked=found.asked)
        if found.key:
            keep_listing(self._reader.cache, key, self._target_key, listing)
        return replace(listing, left_out=found.left_out) if found.left_out else listing

    def _read_requirements(self, candidate: Candidate) -> Requirements:
        here = self._present.get(candidate.project)
        if here is not None and here.candidate == candidate:
            return requirements_of(here.metadata, self._target.python)
        try:
            return requirements_of(self._reader.read(candidate), self._target.python)
        except (TransferFailed, HashDiffers, BuildFailed):
            raise
        except UshError as error:
            return Requirements(requires=(), unusable=str(error))
