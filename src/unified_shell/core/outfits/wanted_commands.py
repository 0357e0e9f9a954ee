"""The commands of an outfit: each from a package, in an environment of its own."""

from packaging.requirements import Requirement

from unified_shell.core.changes.plan import Change
from unified_shell.core.commands.preferred import all_choices
from unified_shell.core.environments.command_environments import plan_get_command

from .equipping import Equipping
from .lock_writing import locked_versions
from .locks import lock_file_of
from .outfit import WantedCommand, WantedEnvironment
from .wanted_environments import prepared_apart

__all__ = ["as_environment", "plan_commands"]


def as_environment(command: WantedCommand) -> WantedEnvironment:
    """Return the environment that a command comes in, for its lock."""
    return WantedEnvironment(name=f"command-{command.name}", packages=(command.package,), when=command.when)


def _locked(equipping: Equipping, command: WantedCommand) -> tuple[Requirement, ...]:
    """Return the versions of a command's lock, as bounds."""
    versions = locked_versions(lock_file_of(equipping.place, as_environment(command).name))
    return tuple(Requirement(f"{name}=={version}") for name, version in versions.items())


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
                bounds=_locked(equipping, one),
            ),
            f"command-{one.name}",
        )
        for one in equipping.outfit.commands
        if one.name not in known and equipping.is_meant(one.when)
    ]
