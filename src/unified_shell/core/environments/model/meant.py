"""Which environment is meant where none is named: the entered one, the one that an outfit here names, the only one there is."""

import tomllib
from enum import Enum

from msgspec import Struct

from unified_shell.core.errors import UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

from .registry import Environment, all_environments, environment_names, find_environment

__all__ = ["MeantBy", "MeantEnvironment", "meant_environment"]

OUTFIT = "outfit.toml"


class MeantBy(Enum):
    """By what an environment is meant."""

    NAME = "name"
    ENTERED = "entered"
    OUTFIT = "outfit"
    ONLY_ONE = "only one"


class MeantEnvironment(Struct, frozen=True, kw_only=True):
    """An environment, and by what it is meant; `outfit` is the file that names it, empty otherwise."""

    environment: Environment
    by: MeantBy
    outfit: Place = Place("")


def meant_environment(name: str, host: Host, locations: Locations) -> MeantEnvironment:
    """Return the environment that is named, or meant without a name; raises UsageError where none or several could be."""
    if name:
        return MeantEnvironment(environment=find_environment(name, host, locations), by=MeantBy.NAME)
    if entered := host.variable("USH_ENVIRONMENT"):
        return MeantEnvironment(environment=find_environment(entered, host, locations), by=MeantBy.ENTERED)
    names = sorted({one.name for one in all_environments(host, locations)} | set(environment_names(locations)))
    if not names:
        raise UsageError("there is no environment yet", next_step=ush("environment", "new", "study"))
    outfit = join(host.working_directory, OUTFIT)
    named = [one for one in _named_in(outfit) if one in names]
    if len(named) == 1:
        found = find_environment(named[0], host, locations)
        return MeantEnvironment(environment=found, by=MeantBy.OUTFIT, outfit=outfit)
    if len(names) == 1:
        return MeantEnvironment(environment=find_environment(names[0], host, locations), by=MeantBy.ONLY_ONE)
    raise UsageError(
        "no environment is named or entered", next_step=f"-e ENVIRONMENT   (there are: {', '.join(names)})"
    )


def _named_in(outfit: Place) -> list[str]:
    """Return the environments that an outfit names; none where it cannot be read, which its own commands tell."""
    try:
        with open(outfit, "rb") as file:
            table = tomllib.load(file).get("environment", {})
    except (OSError, ValueError):
        return []
    return list(table) if isinstance(table, dict) else []
