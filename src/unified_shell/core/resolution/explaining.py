"""Why there is no solution, in plain words: the facts of the proof, the person's own requests first."""

import re
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace
from packaging.requirements import Requirement

from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.errors import NoSolution
from unified_shell.core.next_steps import NextStep, ush

from .incompatibilities import Fact
from .offers import LATER, OTHER_MACHINES
from .questions import Listing
from .spaces import Space

__all__ = ["no_solution"]

# A list of hundreds says less than the newest ones and a count.
MOST_VERSIONS = 5
PUBLISHED = re.compile(rf"{LATER} \((\d{{4}}-\d\d-\d\d)\)")


def no_solution(
    facts: Sequence[Fact], spaces: Mapping[NormalizedName, Space], requests: Sequence[Requirement]
) -> NoSolution:
    """Return the error that tells a proof: who asks for what, and what there is.

    The person's own `requests` stand in their order, before what others require.
    """
    order = {one: at for at, one in enumerate(requests)}
    asked = [one for one in facts if one.requirement is not None]
    asked.sort(
        key=lambda one: order.get(one.requirement, 0) if not one.by and one.requirement else len(order) + one.bound
    )
    dead_end = next((one for one in asked if _fits_nothing(one, spaces)), None)
    own = [one for one in asked if not one.by and not one.bound]
    told = _told(asked, spaces, ending_with=dead_end)
    told += [f"{one.project} {one.version} cannot be used: {one.unusable}" for one in facts if one.unusable]
    if dead_end is None:
        told += [_passed_over(one.project, spaces) for one in facts if one.admission]
        told = [one for one in told if one]
        alone = len(told) == 1
        return NoSolution(
            told[0] if alone else f"no set of versions fits: {_and(told)}", next_step=_relaxation(own, facts)
        )
    space = spaces[dead_end.project]
    unfit = _wanted_but_unfit(dead_end, space)
    words = f"{_and(told)}, but {unfit or _what_there_is(space.listing, space)}"
    way = _way_on(dead_end, space, unfit, own, facts)
    return NoSolution(
        words if dead_end in own else f"no set of versions fits: {words}",
        next_step=way.step,
        again_with=way.again_with,
        instead=way.instead,
    )


class _WayOn(Struct, frozen=True, kw_only=True):
    """What may be typed after a dead end: a step, more words for the same call, or other words in it."""

    step: NextStep
    again_with: tuple[str, ...] = ()
    instead: tuple[tuple[str, str], ...] = ()


def _way_on(dead_end: Fact, space: Space, unfit: str, own: Sequence[Fact], facts: Sequence[Fact]) -> _WayOn:
    if not space.listing.index and not space.listing.candidates:
        return _WayOn(step=ush("index", "list", why="where it was asked"))
    if unfit and dead_end.requirement and _is_buildable(dead_end.requirement, space):
        build = ("--allow-build", str(space.project))
        return _WayOn(step="(building runs its code on this machine)", again_with=build)
    if unfit and LATER in unfit:
        first = min(day[1] for _, reason in space.listing.passed_over if (day := PUBLISHED.search(reason)))
        return _WayOn(step=f"--as-of {first} or later   (the first was published then), or leave it out")
    if unfit and OTHER_MACHINES in unfit:
        said = f"{space.project} is not published for this kind of machine"
        return _WayOn(step=f"{said}; ask its maintainers, or use another machine")
    if unfit:
        other = ush("environment", "new", "NAME", "--supported-by", str(dead_end.requirement))
        return _WayOn(step=replace(other, why="on an interpreter that it supports"))
    if best := space.best(space.full):
        # What there is, in the words of the call.
        newest = space.of_bit(best).version
        instead = [(str(one.requirement), _in_version(one, newest)) for one in own if one.project == space.project]
        step = f"request {space.project}=={newest}, the newest that works here"
        return _WayOn(step=step, instead=tuple(instead))
    return _WayOn(step=_relaxation(own, facts))


def _in_version(fact: Fact, version: str) -> str:
    extras = f"[{','.join(sorted(fact.requirement.extras))}]" if fact.requirement and fact.requirement.extras else ""
    return f"{fact.project}{extras}=={version}"


def _told(facts: Sequence[Fact], spaces: Mapping[NormalizedName, Space], ending_with: Fact | None) -> list[str]:
    """Return a text for each requirement: the person's own first, versions that require the same together."""
    groups: dict[tuple[str, str], list[Fact]] = {}
    for one in sorted(facts, key=lambda fact: (fact is ending_with, bool(fact.by), fact.bound)):
        groups.setdefault(("\0" if one.bound else one.by, _words(one)), []).append(one)
    # A dead end alone says it all: who asked for its asker is another story.
    if ending_with is not None and ending_with.by:
        groups = {key: value for key, value in groups.items() if ending_with in value or not key[0].strip("\0")}
    return [
        f"a limit says {text}" if by == "\0" else _group(by, text, each, spaces)
        for (by, text), each in groups.items()
    ]


def _words(fact: Fact) -> str:
    return f"{fact.said}, by your replacement {fact.requirement}" if fact.said else str(fact.requirement)


def _is_buildable(requirement: Requirement, space: Space) -> bool:
    return any(requirement.specifier.contains(one, prereleases=True) for one in space.listing.buildable)


def _group(by: str, requirement: str, facts: Sequence[Fact], spaces: Mapping[NormalizedName, Space]) -> str:
    if not by:
        return f"you requested {requirement}"
    versions = list(dict.fromkeys(one.version for one in facts))
    space = spaces.get(NormalizedName(by))
    admitted = [space.of_bit(bit).version for bit in space.candidates if bit & space.admitted] if space else []
    if len(versions) > 1 and set(versions) >= set(admitted):
        return f"every version of {by} requires {requirement}"
    return f"{by} {_some(versions)} requires {requirement}"


def _fits_nothing(fact: Fact, spaces: Mapping[NormalizedName, Space]) -> bool:
    space = spaces.get(fact.project)
    if space is None or fact.requirement is None:
        return False
    return not space.mask(fact.requirement.specifier) & space.admitted


def _what_there_is(listing: Listing, space: Space) -> str:
    project = space.project
    if not listing.index and not listing.candidates:
        where = f" (asked: {', '.join(listing.asked)})" if listing.asked else ""
        near = f"; there is {listing.near}" if listing.near else ""
        return f"no index has {project}{where}{near}"
    offered = [space.of_bit(bit).version for bit in sorted(space.candidates, reverse=True) if bit & space.admitted]
    said = f"{listing.index or 'the environment'} has {_offered(offered)}"
    said += f"; {reason}" if (reason := _passed_over(project, {project: space})) else ""
    return said + (f"; ignored on its page: {listing.left_out[0]}" if listing.left_out else "")


def _wanted_but_unfit(fact: Fact, space: Space) -> str:
    """Say why the newest version that is asked for is none to choose here, where there is one."""
    if fact.requirement is None:
        return ""
    for version, reason in space.listing.passed_over:
        if fact.requirement.specifier.contains(version, prereleases=True):
            return f"{space.project} {version} is skipped: {reason}"
    return ""


def _passed_over(project: NormalizedName, spaces: Mapping[NormalizedName, Space]) -> str:
    """Say why versions that are listed are none to choose from, the newest first."""
    space = spaces[project]
    if space.listing.passed_over:
        version, reason = space.listing.passed_over[0]
        return f"{project} {version} is skipped: {reason}" if len(spaces) > 1 else f"{version} is skipped: {reason}"
    for bit in sorted(space.candidates, reverse=True):
        one = space.of_bit(bit)
        if not bit & space.admitted:
            yanked = one.file.yanked
            why = f"was withdrawn{'' if yanked in ('yes', '') else f' ({yanked})'}" if yanked else "is a pre-release"
            return f"{project} {one.version} {why}"
    return ""


def _relaxation(own: Sequence[Fact], facts: Sequence[Fact]) -> str:
    """Say what the person could give way in: of their own requests, those with a version, else all."""
    narrow = [one for one in own if one.requirement is not None and str(one.requirement.specifier)]
    chosen = narrow or [one for one in own if one.requirement is not None]
    if not chosen or len(facts) < 2:
        return "request other versions, or use a separate environment"
    names: Callable[[Fact], str] = lambda one: str(one.requirement)  # noqa: E731 - one word for two uses
    if len(chosen) == 1:
        return f"request other versions than {names(chosen[0])}, or use a separate environment"
    return f"relax one of: {', '.join(map(names, chosen))}; or use separate environments"


def _offered(versions: Sequence[str]) -> str:
    if not versions:
        return "no compatible version"
    more = len(versions) - MOST_VERSIONS
    return ", ".join(versions[:MOST_VERSIONS]) + (f" and {more} older ones" if more > 0 else "")


def _some(versions: Sequence[str]) -> str:
    more = len(versions) - MOST_VERSIONS
    return ", ".join(versions[:MOST_VERSIONS]) + (f" and {more} more" if more > 0 else "")


def _and(texts: Sequence[str]) -> str:
    unique = list(dict.fromkeys(texts))
    return unique[0] if len(unique) == 1 else f"{', '.join(unique[:-1])} and {unique[-1]}"
