"""The solver: conflict-driven, with unit propagation over incompatibilities and learned ones (PubGrub).

It finds a solution where there is one, and where there is none proves it: the proof is the incompatibility that
holds of nothing, with all that it was derived from. States are bits (`spaces.py`), so terms need no sign.
"""

from collections import deque
from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, field

from packaging.requirements import Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.errors import NoSolution

from .explaining import no_solution
from .incompatibilities import Fact, Incompatibility, resolvent
from .partial_solution import PartialSolution
from .questions import AskRequirements, AskVersions, Demand, Listing, Requirements, Solution
from .spaces import ABSENT, FLAG, PRESENT, Node, Space, make_space

__all__ = ["Asking", "solve"]

Asking = Generator[AskVersions | AskRequirements, Listing | Requirements, Solution]
_Step = Generator[AskVersions | AskRequirements, Listing | Requirements, None]
MAX_CONFLICTS = 50_000


class _AdmitMore(Exception):
    """A requirement names a pre-release, or pins a version: more of a project is admitted, and the search begins anew."""


@dataclass(slots=True)
class _Policy:
    """Projects of which somebody names a pre-release, and of which somebody pins a version."""

    pre_releases: set[NormalizedName] = field(default_factory=set)
    pinned: set[NormalizedName] = field(default_factory=set)


def solve(requests: Sequence[Requirement], markers: Mapping[str, str], *, lowest: bool = False) -> Asking:
    """Search for one version of each project that is needed.

    Yields questions, is sent their answers, returns a Solution. `markers` is the target's environment by
    the standard on dependency specifiers. With `lowest`, the oldest versions that fit are tried first. Raises
    NoSolution, with who asked for what.
    """
    values = {**markers, "extra": ""}
    wanted = [one for one in requests if one.marker is None or one.marker.evaluate(dict(values))]
    policy = _Policy()
    while True:
        try:
            return (yield from _Search(wanted, values, policy, lowest=lowest).run())
        except _AdmitMore:
            continue


class _Search:
    def __init__(
        self, requests: Sequence[Requirement], markers: Mapping[str, str], policy: _Policy, *, lowest: bool
    ) -> None:
        self._lowest = lowest
        self._requests, self._markers, self._policy = requests, markers, policy
        self._partial = PartialSolution()
        self._spaces: dict[NormalizedName, Space] = {}
        self._told: dict[tuple[NormalizedName, int], Requirements] = {}
        self._loaded: set[tuple[NormalizedName, int, str]] = set()
        self._about: dict[Node, list[Incompatibility]] = {}
        self._changed: deque[Node] = deque()
        self._conflicts = 0

    def run(self) -> Asking:
        """Search to the end."""
        for request in self._requests:
            yield from self._require({}, request, Fact(project=canonicalize_name(request.name), requirement=request))
        while True:
            self._propagate()
            node = self._next()
            if node is None:
                return self._solution()
            yield from self._decide(node)

    def _next(self) -> Node | None:
        """Return the node to decide: one that has a single state left, else the first that came up."""
        waiting = self._partial.undecided()
        forced = (node for node in waiting if self._partial.allowed[node].bit_count() == 1)
        return next(forced, waiting[0] if waiting else None)

    def _decide(self, node: Node) -> _Step:
        project, extra = node
        if extra:
            self._partial.decide(node, PRESENT)
            self._changed.append(node)
            yield from self._all_requirements(project, extra)
            return
        space = self._spaces[project]
        bit = space.best(self._partial.allowed[node], lowest=self._lowest)
        if not bit:
            # All that is left is not admitted; propagation finds the conflict.
            self._changed.append(node)
            self._add({node: space.full & ~space.admitted & ~ABSENT}, Fact(project=project, admission=True))
            return
        if (project, bit) not in self._told:
            told = yield AskRequirements(space.of_bit(bit))
            if not isinstance(told, Requirements):
                raise TypeError("a question about requirements is answered by requirements")
            self._told[project, bit] = told
        told = self._told[project, bit]
        if told.unusable:
            version = space.of_bit(bit).version
            self._add({node: bit}, Fact(project=project, version=version, unusable=told.unusable))
            return
        self._partial.decide(node, bit)
        self._changed.append(node)
        for other in [one for one in self._partial.full if one[0] == project]:
            yield from self._all_requirements(project, other[1])

    def _all_requirements(self, project: NormalizedName, extra: str) -> _Step:
        """Take in what the chosen version of a project requires, alone or with an extra."""
        bit = self._partial.decided.get((project, ""))
        if bit is None or (project, bit, extra) in self._loaded:
            return
        self._loaded.add((project, bit, extra))
        version = self._spaces[project].of_bit(bit).version
        parent: dict[Node, int] = {(project, ""): bit}
        if extra:
            parent[project, extra] = PRESENT
        for requirement in self._told[project, bit].requires:
            if self._applies(requirement, extra):
                fact = Fact(
                    project=canonicalize_name(requirement.name), by=project, version=version, requirement=requirement
                )
                yield from self._require(parent, requirement, fact)

    def _applies(self, requirement: Requirement, extra: str) -> bool:
        marker = requirement.marker
        if marker is None:
            return not extra
        alone = marker.evaluate({**self._markers, "extra": ""})
        return alone if not extra else not alone and marker.evaluate({**self._markers, "extra": extra})

    def _require(self, parent: Mapping[Node, int], requirement: Requirement, fact: Fact) -> _Step:
        """Take in that whoever is in `parent`'s states requires this."""
        if requirement.url:
            raise NoSolution(
                f"{_demand(fact)}: this version takes packages from indexes only, not from an address",
                next_step="ush index add NAME FOLDER   (put its wheel into the folder)",
            )
        project = canonicalize_name(requirement.name)
        self._widen(project, requirement)
        if project not in self._spaces:
            listing = yield AskVersions(project)
            if not isinstance(listing, Listing):
                raise TypeError("a question about versions is answered by a listing")
            self._take_in(project, listing)
        space = self._spaces[project]
        self._add_with(parent, (project, ""), space.full & ~space.mask(requirement.specifier), fact)
        for extra in requirement.extras:
            node = (project, canonicalize_name(extra))
            self._partial.know(node, FLAG)
            self._add_with(parent, node, ABSENT, fact)

    def _widen(self, project: NormalizedName, requirement: Requirement) -> None:
        """Admit pre-releases, or withdrawn versions, of a project that somebody names so."""
        policy = self._policy
        pins = any(one.operator in ("==", "===") and not one.version.endswith(".*") for one in requirement.specifier)
        before = (len(policy.pre_releases), len(policy.pinned))
        if requirement.specifier.prereleases:
            policy.pre_releases.add(project)
        if pins:
            policy.pinned.add(project)
        known = self._spaces.get(project)
        if known is None or before == (len(policy.pre_releases), len(policy.pinned)):
            return
        wider = self._make_space(project, known.listing)
        if wider.admitted != known.admitted:
            raise _AdmitMore

    def _make_space(self, project: NormalizedName, listing: Listing) -> Space:
        policy = self._policy
        return make_space(
            project, listing, pre_releases=project in policy.pre_releases, pinned=project in policy.pinned
        )

    def _take_in(self, project: NormalizedName, listing: Listing) -> None:
        space = self._spaces[project] = self._make_space(project, listing)
        node = (project, "")
        self._partial.know(node, space.full)
        if barred := space.full & ~space.admitted & ~ABSENT:
            self._add({node: barred}, Fact(project=project, admission=True))

    def _add_with(self, parent: Mapping[Node, int], node: Node, mask: int, fact: Fact) -> None:
        terms = dict(parent)
        terms[node] = terms[node] & mask if node in terms else mask
        # What holds in every state is no condition; what holds in none never comes about.
        if all(terms.values()):
            self._add({key: one for key, one in terms.items() if one != self._partial.full[key]}, fact)

    def _add(self, terms: Mapping[Node, int], fact: Fact) -> None:
        self._register(Incompatibility(terms=terms, fact=fact))

    def _register(self, one: Incompatibility) -> None:
        if not one.terms:
            raise no_solution(one.facts(), self._spaces, self._requests)
        for node in one.terms:
            self._about.setdefault(node, []).append(one)
            self._changed.append(node)

    def _propagate(self) -> None:
        """Draw all conclusions; a conflict is resolved, what it teaches kept, and the search taken back."""
        while self._changed:
            node = self._changed.popleft()
            for one in reversed(self._about.get(node, ())):
                found = self._partial.unsatisfied(one)
                if found is None:
                    continue
                if isinstance(found, bool):
                    learned = self._resolve(one)
                    self._changed.clear()
                    self._register(learned)
                    break
                mask = self._partial.full[found] & ~one.terms[found]
                self._partial.derive(found, mask, one)
                self._changed.append(found)

    def _resolve(self, conflict: Incompatibility) -> Incompatibility:
        """Return the incompatibility that would have kept this conflict away, and go back to where it does."""
        self._conflicts += 1
        if self._conflicts > MAX_CONFLICTS:
            raise NoSolution(
                f"the search gave up after {MAX_CONFLICTS} conflicts",
                next_step="ask for fewer packages at once, or give versions to some of them",
            )
        one = conflict
        while one.terms:
            last, previous = self._partial.satisfier(one)
            if last.cause is None or previous < last.level:
                self._partial.back_to(previous)
                return one
            one = resolvent(one, last.cause, last.node, self._partial.full[last.node])
        raise no_solution(one.facts(), self._spaces, self._requests)

    def _solution(self) -> Solution:
        chosen = {
            project: self._spaces[project].of_bit(bit)
            for (project, extra), bit in self._partial.decided.items()
            if not extra
        }
        asked: dict[NormalizedName, list[str]] = {project: [] for project in chosen}
        facts = [Fact(project=canonicalize_name(one.name), requirement=one) for one in self._requests]
        for (project, extra), _ in self._partial.decided.items():
            bit = self._partial.decided[project, ""]
            facts += [
                Fact(
                    project=canonicalize_name(one.name), by=project, version=chosen[project].version, requirement=one
                )
                for one in self._told[project, bit].requires
                if self._applies(one, extra)
            ]
        for fact in facts:
            asked[fact.project].append(_demand(fact))
        return Solution(chosen=chosen, asked_by={name: tuple(dict.fromkeys(by)) for name, by in asked.items()})


def _demand(fact: Fact) -> str:
    if fact.requirement is None:
        return ""
    by = f"{fact.by} {fact.version}" if fact.by else "you"
    return str(Demand(requirement=fact.requirement, by=by, by_project=NormalizedName(fact.by) if fact.by else None))
