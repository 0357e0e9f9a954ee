"""Answers the solver's questions: index pages, metadata, what is installed. Thin; this is the part that does I/O."""

import functools
from collections.abc import Callable, Iterable, Mapping, Sequence

from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.distributions.versions import read_version
from unified_shell.core.errors import BuildFailed, HashDiffers, TransferFailed, UshError
from unified_shell.core.indexes.client import Found, IndexClient
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.processes.pool import Ahead

from .direct_references import listing_at
from .kept_listings import keep_listing, kept_listing
from .offers import Offers
from .questions import AskRequirements, AskVersions, Candidate, Listing, Requirements, Solution
from .reading_metadata import MetadataReader, ReadSource, requirements_of
from .solver import solve
from .target import Present, Target

__all__ = ["run_solver"]

# Each waits for a server and computes nothing.
READS_AT_ONCE = 32
_Key = AskVersions | tuple[NormalizedName, str]


def run_solver(
    requests: Sequence[Requirement],
    target: Target,
    client: IndexClient,
    present: Mapping[NormalizedName, Present],
    cache: str,
    *,
    read_source: ReadSource | None = None,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Solution:
    """Return a solution; reads index pages and metadata, writes wheels to the cache where it must.

    `progress` is told how many projects were looked at. `read_source` tells the metadata of source distributions; it builds, so it is only asked for what may be built.
    """
    with Ahead[_Key, Listing | Requirements](workers=READS_AT_ONCE) as ahead:
        answers = _Answers(
            target, client, present, MetadataReader(client, cache, read_source), ahead, progress=progress
        )
        answers.follow([one for one in requests if applies(one, target.markers)])
        asking = solve(requests, target.markers, target.rules)
        try:
            question = next(asking)
            while True:
                question = asking.send(answers.answer(question))
        except StopIteration as stop:
            solution: Solution = stop.value
            return solution


class _Answers:
    """Answers questions, and reads ahead: a page leads to the metadata of its likely version, and that to more pages."""

    def __init__(
        self,
        target: Target,
        client: IndexClient,
        present: Mapping[NormalizedName, Present],
        reader: MetadataReader,
        ahead: "Ahead[_Key, Listing | Requirements]",
        *,
        progress: Callable[[str], None],
    ) -> None:
        self._target, self._client, self._present, self._reader = target, client, present, reader
        self._offers = Offers(target)
        told = "\0".join((target.python, target.rules.as_of, *map(str, target.tags)))
        self._target_key = digest_of_bytes(told.encode())
        self._ahead = ahead
        self._progress, self._looked_at = progress, 0
        self._extras: dict[NormalizedName, set[str]] = {}

    def answer(self, question: AskVersions | AskRequirements) -> Listing | Requirements:
        """Return the answer to a question, which may be there already; its error is raised."""
        # What may run a project's own code is done here: an interrupt must end that.
        if isinstance(question, AskVersions):
            ask = self._ahead.answer_here if question.address else self._ahead.answer
            return ask(question, lambda: self._read_listing(question))
        candidate = question.candidate
        ask = self._ahead.answer_here if is_source_name(candidate.file.name) else self._ahead.answer
        return ask(_key_of(candidate), lambda: self._read_and_follow(candidate))

    def follow(self, requirements: Iterable[Requirement]) -> None:
        """Begin to read what requirements lead to; what goes wrong there is told when it is asked for."""
        for one in requirements:
            if one.url:
                continue
            project = canonicalize_name(one.name)
            known = self._extras.setdefault(project, set())
            new = {canonicalize_name(extra) for extra in one.extras} - known
            known |= new
            question = AskVersions(project)
            self._ahead.begin(question, functools.partial(self._read_listing, question))
            listing = self._ahead.known(question) if new else None
            likely = self._likely(listing) if isinstance(listing, Listing) else None
            read = self._ahead.known(_key_of(likely)) if likely is not None else None
            if isinstance(read, Requirements):
                self._follow_required(read, new)

    def _read_listing(self, question: AskVersions) -> Listing:
        listing = self._listing(question)
        self._looked_at += 1
        self._progress(f"projects looked at: {self._looked_at}")
        likely = self._likely(listing)
        # Nothing is built that may not be needed.
        if likely is not None and not is_source_name(likely.file.name):
            self._ahead.begin(_key_of(likely), lambda: self._read_and_follow(likely))
        return listing

    def _likely(self, listing: Listing) -> Candidate | None:
        """Return the version that is likely to be chosen: what is there, else the newest final one."""
        here = (one for one in listing.candidates if one.present)
        finals = (one for one in listing.candidates if not read_version(one.version).is_prerelease)
        return next(here, None) or next(finals, None)

    def _read_and_follow(self, candidate: Candidate) -> Requirements:
        told = self._read_requirements(candidate)
        self._follow_required(told, self._extras.get(candidate.project, ()))
        return told

    def _follow_required(self, told: Requirements, extras: Iterable[str]) -> None:
        every = tuple(extras)
        self.follow([one for one in told.requires if applies(one, self._target.markers, every)])

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


def _key_of(candidate: Candidate) -> tuple[NormalizedName, str]:
    return candidate.project, candidate.file.sha256 or candidate.version
