"""The commands of an outfit: each from a package, in an environment of its own."""

import os

from packaging.requirements import Requirement

from unified_shell.core.changes.plan import Change
from unified_shell.core.commands.preferred import Choice, all_choices
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.environments.command_environments import hidden_name, plan_get_command, plan_refresh_command
from unified_shell.core.environments.model.registry import hidden_environment
from unified_shell.core.environments.packages.lock_files import versions_of_lock
from unified_shell.core.errors import Refused
from unified_shell.core.machine.locations import everyone_locations
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.packages.package_checks import with_whole_environment

from .equipping import Equipping
from .locks.beside import check_lock_holds, has_all_of_lock, lock_file_of
from .outfit import WantedCommand, WantedEnvironment
from .wanted_environments import prepared_apart

__all__ = ["as_environment", "plan_commands"]


def as_environment(command: WantedCommand) -> WantedEnvironment:
    """Return the environment that a command comes in, for its lock."""
    return WantedEnvironment(name=f"command-{command.name}", packages=(command.package,), when=command.when)


def _locked(equipping: Equipping, command: WantedCommand) -> dict[NormalizedName, str]:
    """Return the versions of a command's lock, empty for none; raises Refused where it is not of this outfit."""
    path = lock_file_of(equipping.place, as_environment(command).name)
    if not os.path.isfile(path):
        return {}
    facts = equipping.facts()
    versions = versions_of_lock(path, facts)
    check_lock_holds(path, versions, [Requirement(command.package)], facts, equipping.place)
    return versions


def _lock(equipping: Equipping, command: WantedCommand) -> str:
    """Return the lock of a command, empty for none; raises Refused where it is not of this outfit."""
    return lock_file_of(equipping.place, as_environment(command).name) if _locked(equipping, command) else ""


def plan_commands(equipping: Equipping) -> list[Change]:
    """Plan to have the commands that are not here yet; their folder is put on PATH by the outfit's one wiring."""
    known = {name: one for one in all_choices(equipping.host, equipping.locations) for name in one.names}
    changes = []
    for one in equipping.outfit.commands:
        if not equipping.is_meant(one.when):
            continue
        choice = known.get(one.name)
        if choice is None:
            changes.append(_looked_at(_new(equipping, one), one.name, equipping))
        elif choice.environment and not _is_as_wanted(choice, one, equipping):
            changes.append(_looked_at(_moved(equipping, one, choice), choice.name, equipping))
    return changes


def _looked_at(change: Change, name: str, equipping: Equipping) -> Change:
    """Return a command's change, prepared apart and followed by a look at what it came with."""
    looked = with_whole_environment(change, hidden_name(name), equipping.host, equipping.locations)
    return prepared_apart(looked, f"command-{name}")


def _new(equipping: Equipping, wanted: WantedCommand) -> Change:
    return plan_get_command(
        wanted.name,
        Requirement(wanted.package),
        equipping.facts(),
        equipping.client,
        host=equipping.host,
        locations=equipping.locations,
        wire=False,
        lock=_lock(equipping, wanted),
    )


def _moved(equipping: Equipping, wanted: WantedCommand, choice: Choice) -> Change:
    request = Requirement(wanted.package)
    had = Requirement(choice.distribution)
    if choice.scope is not equipping.locations.scope or canonicalize_name(had.name) != canonicalize_name(
        request.name
    ):
        scope = () if choice.scope is equipping.locations.scope else ("--for", choice.scope.value)
        raise Refused(
            f"the command {wanted.name} is here from {had}; the outfit wants it from {request}",
            next_step=ush("command", "drop", choice.name, *scope, why="then equip again"),
        )
    return plan_refresh_command(
        choice,
        equipping.client,
        equipping.host,
        equipping.locations,
        request=request,
        lock=_lock(equipping, wanted),
    )


def _is_as_wanted(choice: Choice, wanted: WantedCommand, equipping: Equipping) -> bool:
    """Tell whether a command that was got is of the wanted distribution, in a wanted version, and as it is locked."""
    locations = (
        equipping.locations if choice.scope is equipping.locations.scope else everyone_locations(equipping.host)
    )
    environment = hidden_environment(choice.environment, locations)
    request = Requirement(wanted.package)
    found = environment.contents.find(canonicalize_name(request.name))
    if found is None or not request.specifier.contains(found.version, prereleases=True):
        return False
    return has_all_of_lock(environment, _locked(equipping, wanted))
