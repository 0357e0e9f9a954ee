"""What an index's files for a project come to, for one target: the best file of each version, and why others are none."""

from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Generic, TypeVar

from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.tags import parse_tag
from packaging.version import InvalidVersion, Version

from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import source_parts
from unified_shell.core.distributions.tags import rank_of, tag_ranks
from unified_shell.core.distributions.versions import read_version
from unified_shell.core.distributions.wheels import wheel_parts
from unified_shell.core.indexes.pages import IndexFile

from .questions import Candidate, Listing
from .target import Target

__all__ = ["LATER", "ONLY_A_SOURCE", "OTHER_MACHINES", "Offers", "unfit_tags"]

Read = TypeVar("Read")
OTHER_MACHINES = "it is for other kinds of machines"
LATER = "it was published later"
ONLY_A_SOURCE = "only a source distribution is available, which would have to be built"


class Offers:
    """Judges files for a target. Thousands share a few hundred versions, tags and specifiers: each is read once."""

    def __init__(self, target: Target) -> None:
        self._target = target
        self._ranks = tag_ranks(target.tags)
        self._platforms = {one.platform for one in target.tags}
        self._rank_of: dict[str, int | None] = {}
        self._python_fits: dict[str, bool] = {"": True}
        self._names = _Once(canonicalize_name)

    def listing(
        self, project: NormalizedName, files: Sequence[IndexFile], *, index: str, asked: tuple[str, ...] = ()
    ) -> Listing:
        """Return what these files offer of a project."""
        wheels, passed = self._best_wheels(project, files)
        rules = self._target.rules
        sources = self._sources(project, files)
        chosen = {} if project in rules.from_source else wheels
        if rules.may_build(project):
            chosen = {**sources, **chosen}
        left = dict(passed)
        for version in sources:
            if version not in chosen and version not in left:
                left[version] = ONLY_A_SOURCE
        for version in wheels:
            if version not in chosen:
                left[version] = "it must be built from source, and there is none"
        return Listing(
            candidates=tuple(
                Candidate(project=project, version=str(one), file=chosen[one], index=index)
                for one in sorted(chosen, reverse=True)
            ),
            passed_over=tuple((str(one), left[one]) for one in sorted(left, reverse=True) if one not in chosen),
            index=index,
            asked=asked,
            buildable=tuple(str(one) for one in sorted(sources, reverse=True) if one not in chosen),
        )

    @property
    def platforms(self) -> Collection[str]:
        """The platform tags of the target."""
        return self._platforms

    def rank(self, tags: str) -> int | None:
        """Return how well a wheel's tags fit, smaller for better; None where they do not."""
        if tags not in self._rank_of:
            try:
                self._rank_of[tags] = rank_of(parse_tag(tags), self._ranks)
            except ValueError:
                self._rank_of[tags] = None
        return self._rank_of[tags]

    def _best_wheels(
        self, project: NormalizedName, files: Sequence[IndexFile]
    ) -> tuple[dict[Version, IndexFile], dict[Version, str]]:
        best: dict[Version, tuple[tuple[int, tuple[int, str]], IndexFile]] = {}
        passed: dict[Version, str] = {}
        unfit: dict[Version, list[str]] = {}
        for file in files:
            parts = wheel_parts(file.name)
            if parts is None or self._names.of(parts.project) != project:
                continue
            version = _version(parts.version)
            if version is None:
                continue
            why_not, rank = self._why_not(file), self.rank(parts.tags)
            if why_not:
                passed[version] = why_not
                continue
            if rank is None:
                unfit.setdefault(version, []).append(parts.tags)
                passed[version] = unfit_tags(unfit[version], self._platforms)
                continue
            # A higher build number wins among wheels with the same tags.
            order = (-rank, parts.build)
            if version not in best or order > best[version][0]:
                best[version] = (order, file)
        return {version: file for version, (_, file) in best.items()}, passed

    def _sources(self, project: NormalizedName, files: Sequence[IndexFile]) -> dict[Version, IndexFile]:
        found = {}
        for file in files:
            parts = source_parts(file.name)
            if parts is not None and self._names.of(parts.project) == project and not self._why_not(file):
                version = _version(parts.version)
                if version is not None:
                    found[version] = file
        return found

    def _why_not(self, file: IndexFile) -> str:
        as_of = self._target.rules.as_of
        if as_of and not file.uploaded:
            return "the index does not say when it was published"
        if as_of and file.uploaded > as_of:
            return f"{LATER} ({file.uploaded[:10]})"
        wanted = file.requires_python
        if wanted not in self._python_fits:
            try:
                fits = SpecifierSet(wanted).contains(self._target.python, prereleases=True)
            except InvalidSpecifier:
                fits = True
            self._python_fits[wanted] = fits
        return "" if self._python_fits[wanted] else f"it needs Python {wanted}, not {self._target.python}"


def unfit_tags(tags: Sequence[str], here: Collection[str]) -> str:
    """Say what the wheels of a version are for: interpreters, then platforms; `here` are the tags of this platform."""
    split = [one.split("-") for one in tags]
    pythons = dict.fromkeys(python for one in split for python in one[0].split("."))
    platforms = dict.fromkeys(platform for one in split for platform in one[-1].split("."))
    others = "" if not set(platforms).isdisjoint(here) else f"{OTHER_MACHINES}; "
    return f"{others}no wheel is compatible; its wheels are for {_first(pythons)} on {_first(platforms)}"


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
        return read_version(text)
    except InvalidVersion:
        return None
