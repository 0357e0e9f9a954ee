"""The folders of commands that belong to something `ush` knows of."""

import os

from unified_shell.core.commands.preferred import links_folder
from unified_shell.core.environments.model.registry import all_environments
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.managed import all_managed
from unified_shell.core.machine.common_dirs import SHARED_PREFIXES
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, everyone_locations
from unified_shell.core.machine.places import join, lies_in
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.suites.managed_suites import all_suites

__all__ = ["belongs_to", "managed_places"]


def managed_places(host: Host, locations: Locations) -> dict[str, str]:
    """Return folders of commands that belong to an environment, interpreter or suite `ush` knows, with which."""
    named = [(one.executable, one.name) for one in read_adopted(locations)]
    named += [(one.executable, one.name) for one in all_managed(host, locations)]
    places = {str(os.path.dirname(executable)): f"interpreter {name}" for executable, name in named}
    for suite in all_suites(host, locations):
        for variable, folder in suite.offered.front:
            if variable == "PATH":
                places[str(folder)] = f"suite {suite.name}"
    places[str(links_folder(everyone_locations(host)))] = "the commands preferred for everyone"
    places[str(links_folder(locations))] = "the preferred commands"
    return places | {str(one.layout.scripts): f"environment {one.name}" for one in all_environments(host, locations)}


def belongs_to(path: str, host: Host, locations: Locations) -> tuple[str, NextStep]:
    """Say which environment or interpreter a place is, or is part of, and what is typed to use it; empty for none."""
    for environment in all_environments(host, locations):
        if lies_in(path, environment.prefix):
            return f"environment {environment.name}", ush("environment", "enter", environment.name)
    for kept in all_managed(host, locations):
        if lies_in(path, kept.prefix):
            return f"interpreter {kept.name}", ush("path", "add", os.path.dirname(kept.executable))
    for adopted in read_adopted(locations):
        folder = os.path.dirname(adopted.executable)
        if path == folder or (os.path.basename(folder) == "bin" and path == os.path.dirname(folder)):
            return f"interpreter {adopted.name}", ush("path", "add", folder)
    top = path if os.path.isdir(path) else os.path.dirname(path)
    top = os.path.dirname(top) if os.path.basename(top) == "bin" else top
    if os.path.isfile(join(top, "pyvenv.cfg")):
        return "an environment not made by ush", ush("environment", "adopt", top)
    pythons = (join(top, "bin", name) for name in ("python3", "python"))
    if top not in SHARED_PREFIXES and any(is_executable_file(one) for one in pythons):
        return "a Python interpreter", ush("interpreter", "adopt", top)
    return "", ""
