"""Commands by their owners: the file that is meant by an environment's or interpreter's name, and the choice of it."""

import os

from msgspec.structs import replace

from unified_shell.core.changes.plan import Change
from unified_shell.core.commands.preferred import Choice
from unified_shell.core.commands.preferring import plan_prefer
from unified_shell.core.environments.model.registry import list_environments
from unified_shell.core.errors import UsageError
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.command_groups import choice_of
from unified_shell.core.interpreters.managed import all_managed, trees_it_is_in
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import ush

__all__ = ["plan_prefer_named"]


def plan_prefer_named(name: str, candidate: str, host: Host, locations: Locations, *, only: bool = False) -> Change:
    """Plan to prefer a candidate: a path, or the name of an interpreter or environment that has the command.

    With `only`, for that name alone; else the other names of its unit come with it.
    """
    path = _path_of(name, candidate, host, locations)
    if not is_executable_file(path):
        raise UsageError(f"{path} is not an executable file", next_step=ush("look", name))
    folder = os.path.dirname(path)
    in_environment = os.path.isfile(join(os.path.dirname(folder), "pyvenv.cfg"))
    choice = Choice(name=name, candidate=path, names=(name,)) if only else choice_of(name, path)
    if in_environment:
        # A link to its python would start the base; and only what was asked for leaves an environment.
        choice = Choice(name=name, candidate=path, names=(name,), launcher=True)
    change = plan_prefer(choice, host, locations)
    inside = [one for one in list_environments(locations) if lies_in(path, one.prefix)]
    on = (*trees_it_is_in(os.path.realpath(path), locations), *(f"environment {one.name}" for one in inside))
    return replace(change, plan=replace(change.plan, relies_on=(*change.plan.relies_on, *on)))


def _path_of(name: str, candidate: str, host: Host, locations: Locations) -> Place:
    if "/" in candidate:
        return Place(os.path.normpath(join(host.working_directory, candidate)))
    owners = {one.name: one.executable for one in read_adopted(locations)}
    owners |= {one.name: one.executable for one in all_managed(host, locations)}
    folders = {owner: os.path.dirname(path) for owner, path in owners.items()}
    folders |= {one.name: one.layout.scripts for one in list_environments(locations)}
    if candidate not in folders:
        raise UsageError(
            f"{candidate!r} is neither a path nor an interpreter or environment here",
            where=f"there are: {', '.join(sorted(folders)) or 'none'}",
            next_step=ush("command", "list", name, why="the candidates"),
        )
    path = join(folders[candidate], name)
    own = owners.get(candidate)
    return path if is_executable_file(path) or own is None else Place(own)
