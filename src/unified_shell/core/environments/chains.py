"""Why a package is in an environment: every chain of requirements from what was asked for down to it."""

from collections.abc import Mapping
from dataclasses import dataclass

from packaging.requirements import Requirement
from packaging.utils import NormalizedName, canonicalize_name

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.metadata import Metadata
from unified_shell.core.errors import UnknownName
from unified_shell.core.interpreters.facts import InterpreterFacts

from .installed import installed_metadata
from .known import Environment
from .requests import standing_requests

__all__ = ["Chain", "chains_to"]

MOST_CHAINS = 50


@dataclass(frozen=True, slots=True, kw_only=True)
class Chain:
    """One way down: what was asked for, then each requirement with who has it, as texts."""

    asked: str
    steps: tuple[str, ...]


def chains_to(name: str, environment: Environment, facts: InterpreterFacts) -> tuple[Chain, ...]:
    """Return the chains, the shortest first, at most 50; raises UnknownName for what is not there."""
    wanted = canonicalize_name(name)
    if environment.contents.find(wanted) is None:
        known = [one.name for one in environment.contents.distributions]
        raise UnknownName(
            f"package in {environment.name}", name, known, next_step=f"ush package list {environment.option}"
        )
    metadata = installed_metadata(environment)
    found: list[Chain] = []
    # Breadth first, so that the shortest come first; a project is never twice on one chain.
    todo: list[tuple[Requirement, str, tuple[str, ...], frozenset[NormalizedName]]] = []
    for one in standing_requests(environment.contents, facts.markers()):
        todo.append((one, str(one), (), frozenset()))
    while todo and len(found) < MOST_CHAINS:
        requirement, asked, steps, above = todo.pop(0)
        project = canonicalize_name(requirement.name)
        if project == wanted:
            found.append(Chain(asked=asked, steps=steps))
            continue
        for needed in _needed(project, requirement, metadata, facts):
            if canonicalize_name(needed.name) not in above:
                step = f"{project} {metadata[project].version} requires {needed}"
                todo.append((needed, asked, (*steps, step), above | {project}))
    return tuple(found)


def _needed(
    project: NormalizedName,
    requirement: Requirement,
    metadata: Mapping[NormalizedName, Metadata],
    facts: InterpreterFacts,
) -> list[Requirement]:
    every = map(Requirement, metadata[project].requires if project in metadata else ())
    return [one for one in every if applies(one, facts.markers(), requirement.extras)]
