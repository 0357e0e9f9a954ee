"""The folders of commands that belong to something `ush` knows of."""

import os

from unified_shell.core.commands.preferred import links_folder
from unified_shell.core.environments.known import all_environments
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.kept import all_kept
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations

__all__ = ["managed_places"]


def managed_places(host: Host, locations: Locations) -> dict[str, str]:
    """Return folders of commands that belong to an environment or interpreter `ush` knows, with which."""
    named = [(one.executable, one.name) for one in read_adopted(locations)]
    named += [(one.executable, one.name) for one in all_kept(host, locations)]
    places = {str(os.path.dirname(executable)): f"interpreter {name}" for executable, name in named}
    places[str(links_folder(locations))] = "the preferred commands"
    return places | {str(one.layout.scripts): f"environment {one.name}" for one in all_environments(host, locations)}
