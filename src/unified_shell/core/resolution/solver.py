"""The solver: conflict-driven, with unit propagation over incompatibilities and learned ones (PubGrub).

It finds a solution where there is one, and where there is none proves it: the proof is the incompatibility that
holds of nothing, with all that it was derived from. States are bits (`spaces.py`), so terms need no sign.
"""

from collections import deque
from collections.abc import Generator, Mapping, Sequence

from msgspec import Struct, field
from packaging.requirements import Requirement

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.errors import NoSolution

from .explaining import no_solution
from .incompatibilities import Fact, Incompatibility, resolvent
from .partial_solution import PartialSolution
from .questions import AskRequirements, AskVersions, Demand, Listing, Requirements, Solution
from .spaces import ABSENT, FLAG, PRESENT, Node, Space, make_space
from .target import Rules

__all__ = ["Asking", "solve"]

Asking = Generator[AskVersions | AskRequirements, Listing | Requirements, Solution]
_Step = Generator[AskVersions | AskRequirements, Listing | Requirements, None]
# Far more than any set that was tried needs; beyond, the search says that it gave up instead of running for ever.
MAX_CONFLICTS = 50_000


class _Restart(Exception):
    """Other versions of a project count than were thought: more of them, or an address's. The search begins anew."""


class _Policy(Struct):
    """Projects of which somebody names a pre-release, of which somebody pins a version, and that come from an address."""

    pre_releases: set[NormalizedName] = field(default_factory=set)
    pinned: set[NormalizedName] = field(default_factory=set)
    addresses: dict[NormalizedName, str] = field(default_factory=dict)


def solve(requests: Sequence[Requirement], markers: Mapping[str, str], rules: Rules | None = None) -> Asking:
    """Search for one version of each project that is needed.

    Yields questions, is sent their answers, returns a Solution. `markers` is the target's environment by
    the standard on dependency specifiers. Raises NoSolution, with who asked for what.
    """
    rules = rules or Rules()

    def holding(every: Sequence[Requirement]) -> list[Requirement]:
        return [one for one in every if applies(one, markers)]

    overrides = {canonicalize_name(one.name): one for one in holding(rules.overrides)}
    wanted = [_replaced(one, overrides) for one in holding(requests)]
    bounds = holding(rules.constraints)
    policy = _Policy(addresses=_addresses([*wanted, *bounds, *overrides.values()]))
    while True:
        try:
            search = _Search(wanted, markers, policy, bounds=bounds, overrides=overrides, lowest=rules.lowest)
            return (yield from search.run())
        except _Restart:
            continue


def _replaced(requirement: Requirement, overrides: Mapping[NormalizedName, Requirement]) -> Requirement:
    """Return a requirement with the version or address that an override has in its place; its extras stay."""
    override = overrides.get(canonicalize_name(requirement.name))
    if override is None:
        return requirement
    found = Requirement(str(requirement))
    found.specifier, found.url = override.specifier, override.url
    found.extras = found.extras | override.extras
    return found


def _addresses(requirements: Sequence[Requirement]) -> dict[NormalizedName, str]:
    found: dict[NormalizedName, str] = {}
    for one in requirements:
        if one.url and found.setdefault(canonicalize_name(one.name), one.url) != one.url:
            raise NoSolution(
                f"{one.name} is requested from two addresses: {found[canonicalize_name(one.name)]} and {one.url}",
                next_step="request one of them",
            )
    return found


class _Search:
    def __init__(
        self,
        requests: Sequence[Requirement],
        markers: Mapping[str, str],
        policy: _Policy,
        *,
        bounds: Sequence[Requirement],
        overrides: Mapping[NormalizedName, Requirement],
        lowest: bool,
    ) -> None:
        self._lowest, self._overrides = lowest, overrides
        self._bounds: dict[NormalizedName, list[Requirement]] = {}
        for one in bounds:
            self._bounds.setdefault(canonicalize_name(one.name), []).append(one)
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
                yield from self._require_for(parent, requirement, project, version)

    def _require_for(
        self, parent: Mapping[Node, int], requirement: Requirement, by: NormalizedName, version: str
    ) -> _Step:
        """Take in a requirement of a version, as the person's overrides have it."""
        meant = _replaced(requirement, self._overrides)
        fact = self._fact(requirement, by, version)
        if meant.url and (why := self._why_not_from(meant.url, fact)):
            self._add(parent, Fact(project=by, version=version, unusable=why))
            return
        yield from self._require(parent, meant, fact)

    def _fact(self, requirement: Requirement, by: NormalizedName, version: str) -> Fact:
        meant = _replaced(requirement, self._overrides)
        said = str(requirement) if str(meant) != str(requirement) else ""
        return Fact(project=canonicalize_name(meant.name), by=by, version=version, requirement=meant, said=said)

    def _why_not_from(self, address: str, fact: Fact) -> str:
        """Say why a project may not come from an address that a distribution names; nothing where it may.

        The person's word counts, and that of what they took from an address themselves: a project of an index could
        otherwise bring anything from anywhere.
        """
        addresses = self._policy.addresses
        known = addresses.get(fact.project)
        if known == address:
            return ""
        if known is not None:
            return f"it requires {fact.project} from {address}, which comes from {known}"
        if NormalizedName(fact.by) not in addresses:
            return f"it requires {fact.project} from {address}; only you may request that"
        addresses[fact.project] = address
        if fact.project in self._spaces:
            raise _Restart
        return ""

    def _applies(self, requirement: Requirement, extra: str) -> bool:
        alone = applies(requirement, self._markers)
        return alone if not extra else not alone and applies(requirement, self._markers, (extra,))

    def _require(self, parent: Mapping[Node, int], requirement: Requirement, fact: Fact) -> _Step:
        """Take in that whoever is in `parent`'s states requires this."""
        project = canonicalize_name(requirement.name)
        self._widen(project, requirement)
        if project not in self._spaces:
            for bound in self._bounds.get(project, ()):
                self._widen(project, bound)
            listing = yield AskVersions(project, self._policy.addresses.get(project, ""))
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
            raise _Restart

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
        for bound in self._bounds.get(project, ()):
            if beyond := space.full & ~space.mask(bound.specifier) & ~ABSENT:
                self._add({node: beyond}, Fact(project=project, requirement=bound, bound=True))

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
                next_step="request fewer packages at once, or give versions for some of them",
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
                self._fact(one, project, chosen[project].version)
                for one in self._told[project, bit].requires
                if self._applies(one, extra)
            ]
        for fact in facts:
            asked[fact.project].append(_demand(fact))
        return Solution(
            chosen=chosen,
            asked_by={name: tuple(dict.fromkeys(by)) for name, by in asked.items()},
            licences={
                project: self._told[project, bit].licence
                for (project, extra), bit in self._partial.decided.items()
                if not extra
            },
            unknown_extras=self._unknown_extras(),
        )

    def _unknown_extras(self) -> dict[NormalizedName, tuple[str, tuple[str, ...]]]:
        """Return the extras that the person asked for and the chosen versions do not have."""
        found: dict[NormalizedName, tuple[str, tuple[str, ...]]] = {}
        for one in self._requests:
            project = canonicalize_name(one.name)
            has = self._told[project, self._partial.decided[project, ""]].extras
            if unknown := sorted(extra for extra in one.extras if canonicalize_name(extra) not in has):
                found[project] = (", ".join(unknown), has)
        return found


def _demand(fact: Fact) -> str:
    if fact.requirement is None:
        return ""
    by = f"{fact.by} {fact.version}" if fact.by else "you"
    demand = Demand(requirement=fact.requirement, by=by, by_project=NormalizedName(fact.by) if fact.by else None)
    return f"{demand} (your replacement, from {fact.said})" if fact.said else str(demand)
