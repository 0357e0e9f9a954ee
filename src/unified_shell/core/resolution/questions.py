"""What the solver asks and is told. It does no I/O: it yields questions and is sent answers."""

from collections.abc import Mapping

from msgspec import Struct, field
from packaging.requirements import Requirement

from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.indexes.pages import IndexFile

__all__ = ["AskRequirements", "AskVersions", "Candidate", "Demand", "Listing", "Requirements", "Solution"]


class Candidate(Struct, frozen=True, kw_only=True):
    """One version of a project with the file that fits best: a wheel, or a source distribution that may be built.

    `present`: it is in the environment now. `direct`: it comes from an address that somebody named, from no index.
    """

    project: NormalizedName
    version: str
    file: IndexFile
    index: str
    present: bool = False
    direct: bool = False


class Listing(Struct, frozen=True, kw_only=True):
    """What there is of a project: candidates, newest first, and why other versions are none.

    `passed_over` holds (version, reason); `index` is the one that has the project, empty for none. `buildable` are
    versions that would be candidates if their source distribution might be built. `near` is a project of nearly that
    name, where no index has it; `left_out` names rows of the page that are not as the standard has them.
    """

    candidates: tuple[Candidate, ...]
    passed_over: tuple[tuple[str, str], ...] = ()
    index: str = ""
    asked: tuple[str, ...] = ()
    buildable: tuple[str, ...] = ()
    near: str = ""
    left_out: tuple[str, ...] = ()


class Requirements(Struct, frozen=True, kw_only=True):
    """What a candidate requires, and why it cannot be used here at all, if so."""

    requires: tuple[Requirement, ...]
    extras: tuple[NormalizedName, ...] = ()
    unusable: str = ""
    licence: str = ""


class AskVersions(Struct, frozen=True):
    """Which versions are there of a project, at an address where one is named? Answered by a Listing."""

    project: NormalizedName
    address: str = ""


class AskRequirements(Struct, frozen=True):
    """What does a candidate require? Answered by Requirements."""

    candidate: Candidate


class Demand(Struct, frozen=True, kw_only=True):
    """A requirement and who makes it: a project and version, or `you`."""

    requirement: Requirement
    by: str
    by_project: NormalizedName | None

    def __str__(self) -> str:
        verb = "ask for" if self.by_project is None else "requires"
        return f"{self.by} {verb} {self.requirement}"


class Solution(Struct, frozen=True, kw_only=True):
    """The chosen candidates by project, and for each project who asked for it, as texts, and its licence, as told.

    `unknown_extras` are extras that were asked for, by project, where the chosen version has none of that name, each
    with those that it has.
    """

    chosen: dict[NormalizedName, Candidate]
    asked_by: dict[NormalizedName, tuple[str, ...]]
    licences: Mapping[NormalizedName, str] = field(default_factory=dict)
    unknown_extras: Mapping[NormalizedName, tuple[str, tuple[str, ...]]] = field(default_factory=dict)
