"""The commands of an outfit: each from a package, in an environment of its own."""

from packaging.requirements import Requirement

from unified_shell.core.changes.plan import Change
from unified_shell.core.commands.preferred import all_choices
from unified_shell.core.environments.command_environments import plan_get_command

from .equipping import Equipping
from .wanted_environments import prepared_apart

__all__ = ["plan_commands"]


def plan_commands(equipping: Equipping) -> list[Change]:
    """Plan to have the commands that are not here yet; their folder is put on PATH by the outfit's one wiring."""
    known = {name for one in all_choices(equipping.host, equipping.locations) for name in one.names}
    return [
        prepared_apart(
            plan_get_command(
                one.name,
                Requirement(one.package),
                equipping.facts(),
                equipping.client,
                host=equipping.host,
                locations=equipping.locations,
                wire=False,
            ),
            f"command-{one.name}",
        )
        for one in equipping.outfit.commands
        if one.name not in known and equipping.is_meant(one.when)
    ]
