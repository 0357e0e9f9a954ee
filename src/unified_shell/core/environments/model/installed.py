"""What is in an environment's folder, as its distributions say it themselves, and what needs what."""

import os
from collections.abc import Sequence

from packaging.requirements import Requirement

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import join

from .registry import Environment

__all__ = ["installed_metadata", "reachable"]


def installed_metadata(environment: Environment) -> dict[NormalizedName, Metadata]:
    """Return the metadata of every distribution that is in the environment's folder, by project."""
    site = environment.layout.site_packages
    found = {}
    for folder in sorted(os.listdir(site)) if os.path.isdir(site) else ():
        content = read_file(join(site, folder, "METADATA")) if folder.endswith(".dist-info") else None
        if content is not None:
            metadata = parse_metadata(content[0], folder)
            found[metadata.name] = metadata
    return found


def reachable(
    roots: Sequence[Requirement], environment: Environment, facts: InterpreterFacts
) -> dict[NormalizedName, list[str]]:
    """Return what the roots need of what is installed, each with who needs it."""
    metadata = installed_metadata(environment)
    markers = facts.markers()
    kept: dict[NormalizedName, list[str]] = {}
    todo = [(requirement, "you") for requirement in roots]
    done: set[tuple[str, frozenset[str]]] = set()
    while todo:
        requirement, by = todo.pop()
        name = canonicalize_name(requirement.name)
        kept.setdefault(name, []).append(by)
        extras = frozenset(requirement.extras)
        if (name, extras) in done or name not in metadata:
            continue
        done.add((name, extras))
        for text in metadata[name].requires:
            needed = Requirement(text)
            if applies(needed, markers, extras):
                todo.append((needed, f"{name} {metadata[name].version}"))
    return kept
