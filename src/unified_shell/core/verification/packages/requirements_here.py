"""What installed projects require of each other here, with the extras that something asks of them."""

from collections.abc import Mapping

from packaging.requirements import InvalidRequirement, Requirement

from unified_shell.core.distributions.markers import applies
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.model.registry import Environment

from .installed_metadata import Installed

__all__ = ["requirements_here"]


def _readable(there: Installed) -> list[Requirement]:
    """Return the requirements of a distribution that can be read."""
    return [one for one in map(_requirement, there.metadata.requires) if one is not None]


def requirements_here(
    installed: Mapping[NormalizedName, Installed], markers: Mapping[str, str], environment: Environment
) -> dict[NormalizedName, list[Requirement]]:
    """Return what each project requires with these marker values: alone, and with the extras that were asked of it by a person,
    or by what is required itself.
    """
    readable = {name: _readable(there) for name, there in installed.items()}
    extras: dict[NormalizedName, set[str]] = {name: set() for name in installed}
    asked = [_requirement(text) for one in environment.contents.requested for text in one.requested]
    new = [one for one in asked if one is not None and applies(one, markers)]
    new += [one for every in readable.values() for one in every if applies(one, markers)]
    while new:
        needed = new.pop()
        name = canonicalize_name(needed.name)
        more = needed.extras - extras.get(name, needed.extras)
        if more:
            before, extras[name] = extras[name], extras[name] | more
            # An extra may ask for extras of others.
            new += [
                one
                for one in readable[name]
                if applies(one, markers, extras[name]) and not applies(one, markers, before)
            ]
    return {name: [one for one in every if applies(one, markers, extras[name])] for name, every in readable.items()}


def _requirement(text: str) -> Requirement | None:
    try:
        return Requirement(text)
    except InvalidRequirement:
        return None
