"""An environment as it is now: what it takes, what can be started, where it is offered, how it drifted."""

import os
from collections.abc import Mapping

from msgspec import Struct
from packaging.version import Version

from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.offers import offered_files
from unified_shell.core.environments.packages.lock_files import drift_from_lock
from unified_shell.core.errors import UshError
from unified_shell.core.machine.files.disks import TreeSize, tree_size
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place

from .installed_metadata import Installed, read_installed

__all__ = ["EnvironmentReport", "report_environment"]


class EnvironmentReport(Struct, frozen=True, kw_only=True):
    """An environment and what is in its folder.

    `applications` are commands with windows of their own; `offered` the files by which notebooks or the desktop know
    of it; `drift` a line for each thing that is not as it was recorded, `lock_drift` for each that is not as locked.
    """

    environment: Environment
    installed: tuple[Installed, ...]
    size: TreeSize
    commands: tuple[str, ...]
    applications: tuple[str, ...]
    offered: tuple[Place, ...]
    drift: tuple[str, ...]
    lock_drift: tuple[str, ...]


def report_environment(environment: Environment, host: Host) -> EnvironmentReport:
    """Look at an environment."""
    installed = read_installed(environment)
    entries = [entry for one in installed.values() for entry in one.commands]
    applications = {entry.name for entry in entries if entry.group == "gui_scripts"}
    commands = {name for one in installed.values() for name in one.command_names}
    return EnvironmentReport(
        environment=environment,
        installed=tuple(installed.values()),
        size=tree_size(os.path.realpath(environment.prefix)),
        commands=tuple(sorted(commands - applications)),
        applications=tuple(sorted(applications)),
        offered=offered_files(environment, host),
        drift=() if environment.foreign else _drift(environment, installed),
        lock_drift=_lock_drift(environment, host),
    )


def _drift(environment: Environment, installed: Mapping[NormalizedName, Installed]) -> tuple[str, ...]:
    recorded = {one.name: one.version for one in environment.contents.distributions}
    lines = []
    for name, there in sorted(installed.items()):
        by = there.installer or "an unknown installer"
        if name not in recorded:
            lines.append(f"{name} {there.metadata.version} was installed by {by}")
        elif Version(there.metadata.version) != Version(recorded[name]):
            lines.append(f"{name} is {there.metadata.version}, installed by {by}; {recorded[name]} is recorded")
    return (*lines, *(f"{name} {recorded[name]} is gone" for name in recorded if name not in installed))


def _lock_drift(environment: Environment, host: Host) -> tuple[str, ...]:
    if not environment.contents.lock:
        return ()
    try:
        return drift_from_lock(environment, base_of(environment, host))
    except UshError as error:
        return (error.message,)
