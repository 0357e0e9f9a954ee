"""Why a package is in an environment: every chain of requirements from what was asked for down to it."""

from collections import deque
from collections.abc import Mapping

from msgspec import Struct
from packaging.requirements import Requirement

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.metadata import Metadata
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.installed import installed_metadata
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import UnknownName
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.next_steps import ush

from .requests import standing_requests

__all__ = ["Chain", "Why", "why_there"]

# With very many ways, more would be read by nobody; that there are more is said.
MOST_CHAINS = 1000


class Chain(Struct, frozen=True, kw_only=True):
    """One way down: what was asked for, then each requirement with who has it, as texts."""

    asked: str
    steps: tuple[str, ...]


class Why(Struct, frozen=True, kw_only=True):
    """Why a package is there: what requires it directly, as texts, and the ways down to it, the shortest first.

    `is_cut` says that there are more ways than these.
    """

    required_by: tuple[str, ...]
    chains: tuple[Chain, ...]
    is_cut: bool = False


def why_there(name: str, environment: Environment, facts: InterpreterFacts, *, every: bool = False) -> Why:
    """Return why a package is there, with `every` way down and else the shortest; raises UnknownName."""
    wanted = canonicalize_name(name)
    if environment.contents.find(wanted) is None:
        known = [one.name for one in environment.contents.distributions]
        raise UnknownName(
            f"package in {environment.name}", name, known, next_step=ush("package", "list", *environment.naming)
        )
    metadata = installed_metadata(environment)
    most = MOST_CHAINS if every else 1
    found: list[Chain] = []
    parents: dict[str, None] = {}
    seen: set[tuple[NormalizedName, frozenset[str]]] = set()
    # Breadth first, so that the shortest come first; a project is never twice on one chain.
    todo: deque[tuple[Requirement, str, tuple[str, ...], frozenset[NormalizedName]]] = deque()
    for one in standing_requests(environment.contents, facts.markers()):
        todo.append((one, str(one), (), frozenset()))
    while todo and not (every and len(found) > most):
        requirement, asked, steps, above = todo.popleft()
        project = canonicalize_name(requirement.name)
        if project == wanted:
            found.append(Chain(asked=asked, steps=steps))
            continue
        if not every:
            # The shortest way to each is enough.
            if (project, frozenset(requirement.extras)) in seen:
                continue
            seen.add((project, frozenset(requirement.extras)))
        for needed in _needed(project, requirement, metadata, facts):
            if canonicalize_name(needed.name) not in above:
                step = f"{project} {metadata[project].version} requires {needed}"
                if canonicalize_name(needed.name) == wanted:
                    parents[step] = None
                todo.append((needed, asked, (*steps, step), above | {project}))
    return Why(
        required_by=tuple(sorted(parents)),
        chains=tuple(found[:most]),
        is_cut=every and len(found) > most,
    )


def _needed(
    project: NormalizedName,
    requirement: Requirement,
    metadata: Mapping[NormalizedName, Metadata],
    facts: InterpreterFacts,
) -> list[Requirement]:
    every = map(Requirement, metadata[project].requires if project in metadata else ())
    return [one for one in every if applies(one, facts.markers(), requirement.extras)]
