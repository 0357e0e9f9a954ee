"""The solver: depth-first search with conflict-directed backjumping.

It finds a solution where there is one, proves that there is none, or says that it gave up after a bounded
number of choices. A dead end knows the set of projects that brought it about; the search goes straight back
to the latest of them, since no other choice between could help.
"""

from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, field

from packaging.markers import Marker
from packaging.requirements import Requirement
from packaging.utils import NormalizedName, canonicalize_name
from packaging.version import Version

from unified_shell.core.errors import NoSolution

from .questions import AskRequirements, AskVersions, Candidate, Demand, Listing, Requirements, Solution

__all__ = ["Asking", "solve"]

Asking = Generator[AskVersions | AskRequirements, Listing | Requirements, Solution]
MAX_CHOICES = 20_000


@dataclass(frozen=True, slots=True)
class _State:
    """What was chosen so far, what is demanded, and the projects that wait, in the order they came up."""

    chosen: Mapping[NormalizedName, Candidate]
    demands: Mapping[NormalizedName, tuple[Demand, ...]]
    requirements: Mapping[NormalizedName, Requirements]

    def undecided(self) -> NormalizedName | None:
        return next((name for name in self.demands if name not in self.chosen), None)


@dataclass(slots=True)
class _DeadEnd:
    """Why nothing fits: the projects whose choices brought it about, and the words for it."""

    culprits: frozenset[NormalizedName]
    words: str
    next_step: str = "ask for other versions, or in an environment of its own"


@dataclass(slots=True)
class _Search:
    markers: Mapping[str, str]
    choices: int = 0
    deepest: "tuple[int, _DeadEnd]" = field(default=(-1, _DeadEnd(frozenset(), "")))


_Walk = Generator[AskVersions | AskRequirements, Listing | Requirements, "_State | _DeadEnd"]


def solve(requests: Sequence[Requirement], markers: Mapping[str, str]) -> Asking:
    """Search for one version of each project that is needed.

    Yields questions, is sent their answers, returns a Solution. `markers` is the target's environment by
    the standard on dependency specifiers. Raises NoSolution, with who asked for what.
    """
    search = _Search(markers={**markers, "extra": ""})
    state = _State({}, {}, {})
    for request in requests:
        if request.marker is not None and not request.marker.evaluate(dict(search.markers)):
            continue
        demand = Demand(requirement=request, by="you", by_project=None)
        after = yield from _demand(search, state, demand)
        if isinstance(after, _DeadEnd):
            raise NoSolution(after.words, next_step="ask for one of them, or for versions that overlap")
        state = after
    found = yield from _extend(search, state)
    if isinstance(found, _DeadEnd):
        deepest = search.deepest[1]
        # Where the person's own words are all there is to it, the word of sets would only be in the way.
        alone = not deepest.culprits
        words = (
            deepest.words[:1].lower() + deepest.words[1:] if alone else f"no set of versions fits: {deepest.words}"
        )
        raise NoSolution(words, next_step=deepest.next_step)
    asked = {name: tuple(str(one) for one in found.demands[name]) for name in found.chosen}
    return Solution(chosen=dict(found.chosen), asked_by=asked)


def _extend(search: _Search, state: _State) -> _Walk:
    project = state.undecided()
    if project is None:
        return state
    listing = yield AskVersions(project)
    if not isinstance(listing, Listing):
        raise TypeError("a question about versions is answered by a listing")
    demands = state.demands[project]
    culprits = frozenset(one.by_project for one in demands if one.by_project is not None)
    admitted = _admitted(listing, demands)
    words = _why_none(project, listing, demands)
    if not admitted:
        nowhere = "" if listing.index else "ush index list   (where it was asked)"
        end = _DeadEnd(culprits, words, nowhere) if nowhere else _DeadEnd(culprits, words)
        return _note(search, state, end)
    for candidate in admitted:
        search.choices += 1
        if search.choices > MAX_CHOICES:
            raise NoSolution(
                f"the search gave up after {MAX_CHOICES} choices; the last trouble was: {search.deepest[1].words}",
                next_step="ask for fewer packages at once, or give versions to some of them",
            )
        after = yield from _choose(search, state, candidate)
        if isinstance(after, _State):
            after = yield from _extend(search, after)
        if isinstance(after, _State):
            return after
        if project not in after.culprits:
            return after
        culprits |= after.culprits - {project}
        words = after.words
    return _note(search, state, _DeadEnd(culprits, words))


def _choose(search: _Search, state: _State, candidate: Candidate) -> _Walk:
    told = yield AskRequirements(candidate)
    if not isinstance(told, Requirements):
        raise TypeError("a question about requirements is answered by requirements")
    project = candidate.project
    if told.unusable:
        by = frozenset(one.by_project for one in state.demands[project] if one.by_project is not None)
        words = f"{project} {candidate.version} cannot be used: {told.unusable}"
        return _note(search, state, _DeadEnd(by | {project}, words))
    after = _State({**state.chosen, project: candidate}, state.demands, {**state.requirements, project: told})
    extras = {extra for one in state.demands[project] for extra in one.requirement.extras}
    return (yield from _demand_all(search, after, project, {"", *extras}))


def _demand_all(search: _Search, state: _State, project: NormalizedName, extras: set[str]) -> _Walk:
    """Demand what a chosen project requires with these extras; the empty one stands for none."""
    candidate, told = state.chosen[project], state.requirements[project]
    for requirement in told.requires:
        if not _applies(requirement.marker, search.markers, extras):
            continue
        demand = Demand(requirement=requirement, by=f"{project} {candidate.version}", by_project=project)
        if demand in state.demands.get(canonicalize_name(requirement.name), ()):
            continue
        after = yield from _demand(search, state, demand)
        if isinstance(after, _DeadEnd):
            return after
        state = after
    return state


def _demand(search: _Search, state: _State, demand: Demand) -> _Walk:
    """Add one demand; a project that was chosen already must meet it, with the extras it brings."""
    requirement = demand.requirement
    project = canonicalize_name(requirement.name)
    if requirement.url:
        raise NoSolution(
            f"{demand}: this version takes packages from indexes only, not from an address",
            next_step="ush index add NAME FOLDER   (put its wheel into the folder)",
        )
    known = state.demands.get(project, ())
    state = _State(state.chosen, {**state.demands, project: (*known, demand)}, state.requirements)
    if project not in state.chosen:
        return state
    if not _meets(state.chosen[project].version, demand):
        by = frozenset(one.by_project for one in (*known, demand) if one.by_project is not None)
        words = f"{demand}, but {_and([str(one) for one in known])}"
        return _note(search, state, _DeadEnd(by | {project}, words))
    new = {extra for extra in requirement.extras if not any(extra in one.requirement.extras for one in known)}
    if not new:
        return state
    return (yield from _demand_all(search, state, project, new))


def _note(search: _Search, state: _State, end: _DeadEnd) -> _DeadEnd:
    # The dead end reached with the most choices made tells most about what stands in the way.
    if len(state.chosen) > search.deepest[0]:
        search.deepest = (len(state.chosen), end)
    return end


def _applies(marker: Marker | None, markers: Mapping[str, str], extras: set[str]) -> bool:
    return marker is None or any(marker.evaluate({**markers, "extra": extra}) for extra in extras)


def _admitted(listing: Listing, demands: Sequence[Demand]) -> list[Candidate]:
    """Return the candidates that meet all demands, what is present first, then the newest.

    Pre-releases are admitted where a demand names one, or where there is nothing else.
    """
    named = any(one.requirement.specifier.prereleases for one in demands)
    only_pre = all(Version(one.version).is_prerelease for one in listing.candidates)
    fitting = [
        one
        for one in listing.candidates
        if (named or only_pre or one.present or not Version(one.version).is_prerelease)
        and (not one.file.yanked or one.present or _is_pinned(demands))
        and all(_meets(one.version, demand) for demand in demands)
    ]
    return sorted(fitting, key=lambda one: not one.present)


def _meets(version: str, demand: Demand) -> bool:
    return demand.requirement.specifier.contains(version, prereleases=True)


def _is_pinned(demands: Sequence[Demand]) -> bool:
    """Tell whether someone asks for exactly one version: only then does a yanked file count (PEP 592)."""
    specifiers = [one for demand in demands for one in demand.requirement.specifier]
    return any(one.operator in ("==", "===") and not one.version.endswith(".*") for one in specifiers)


def _why_none(project: NormalizedName, listing: Listing, demands: Sequence[Demand]) -> str:
    wanted = _and([str(one) for one in demands])
    if not listing.index and not listing.candidates:
        where = f" (asked: {', '.join(listing.asked)})" if listing.asked else ""
        return f"{wanted}, but no index has {project}{where}"
    offered = [one.version for one in listing.candidates]
    said = f"{wanted}, but {listing.index or 'the environment'} has {_some(offered)}"
    if listing.passed_over:
        version, reason = listing.passed_over[0]
        said += f"; {version} is passed over: {reason}"
    return said


def _some(versions: Sequence[str]) -> str:
    if not versions:
        return "no version that fits here"
    return ", ".join(versions[:5]) + (f" and {len(versions) - 5} older ones" if len(versions) > 5 else "")


def _and(texts: Sequence[str]) -> str:
    unique = list(dict.fromkeys(texts))
    return unique[0] if len(unique) == 1 else f"{', '.join(unique[:-1])} and {unique[-1]}"
