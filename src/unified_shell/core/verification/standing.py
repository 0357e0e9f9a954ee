"""Where an account stands: its environments, indexes and shells, the search path's faults, and what most likely comes next."""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.environments.model.registry import Environment, all_environments
from unified_shell.core.indexes.registered import INDEXES, Index
from unified_shell.core.machine.common_dirs import usual_folders
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.machine.session import SHELLS
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.dialects.table import DIALECTS
from unified_shell.core.shells.sessions.path_faults import FaultKind, PathFault, commands_in, find_faults
from unified_shell.core.shells.startup.own_shells import wired_modes
from unified_shell.core.shells.wiring.wiring import read_wiring

__all__ = ["PresentShell", "Standing", "next_thing", "present_shells", "standing"]

# What is wrong wherever it is met.
ALWAYS_WRONG = frozenset({FaultKind.MISSING, FaultKind.DUPLICATE, FaultKind.EMPTY, FaultKind.NOT_DIRECTORY})


class PresentShell(Struct, frozen=True, kw_only=True):
    """A shell on this machine; `wired` are the modes whose new sessions read the hook-up."""

    name: str
    program: Place
    is_login_shell: bool
    can_be_wired: bool
    wired: tuple[str, ...]


def next_thing(
    environments: Sequence[Environment],
    indexes: Sequence[Index],
    *,
    faults: Sequence[PathFault] = (),
    entered: str = "",
) -> NextStep:
    """Return the command that most likely comes next: where one is entered for that, else for this account."""
    if any(one.kind in ALWAYS_WRONG for one in faults):
        return ush("path", "list", why="shows what is wrong with the search path, and what put it there")
    own = [one for one in environments if one.contents.is_python]
    here = next((one for one in environments if entered and one.prefix == entered), None)
    if here is not None and (here.contents.distributions or here not in own):
        return ush("verify", here.name)
    if not own:
        return ush("environment", "new", "study", why="a place for packages")
    empty = here or next((one for one in own if not one.contents.distributions), None)
    if empty is not None and not indexes:
        return ush("index", "add", "NAME", "ADDRESS", why="where packages come from")
    if empty is not None:
        return ush("package", "get", "REQUIREMENT", *empty.changing)
    return ush("verify", own[0].name)


def present_shells(host: Host) -> tuple[PresentShell, ...]:
    """Return the shells on this machine."""
    wired: dict[str, list[str]] = {}
    for dialect, mode in wired_modes(host):
        wired.setdefault(dialect.name, []).append(mode.value)
    owner = {name: dialect.name for dialect in DIALECTS for name in dialect.programs}
    found = []
    for name in SHELLS:
        folders = (*host.search_path(), "/bin", "/usr/bin", "/usr/local/bin")
        program = next(
            (join(one, name) for one in folders if os.path.isabs(one) and is_executable_file(join(one, name))), None
        )
        if program is not None:
            found.append(
                PresentShell(
                    name=name,
                    program=program,
                    is_login_shell=os.path.basename(host.login_shell) == name,
                    can_be_wired=name in owner,
                    wired=tuple(wired.get(owner.get(name, ""), ())),
                )
            )
    return tuple(found)


class Standing(Struct, frozen=True, kw_only=True):
    """A few facts that cost little: nothing is asked of interpreters, and no session is opened. `unreached` are folders with
    commands that are on no search path.
    """

    entered_name: str
    environments: tuple[Environment, ...]
    indexes: tuple[Index, ...]
    shells: tuple[PresentShell, ...]
    path_entries: int
    path_faults: tuple[PathFault, ...]
    unreached: tuple[Place, ...]
    next_thing: NextStep


def standing(host: Host, locations: Locations) -> Standing:
    """Return where the account stands."""
    environments = all_environments(host, locations)
    faults = find_faults(host.search_path())
    indexes = INDEXES.read_all(host, locations)
    entered = host.variable("USH_ENVIRONMENT")
    own = [one for one in environments if not one.everyones]
    return Standing(
        entered_name=os.path.basename(entered),
        environments=environments,
        indexes=indexes,
        shells=present_shells(host),
        path_entries=len(host.search_path()),
        path_faults=faults,
        unreached=_unreached(host, [one.directory for one in read_wiring(locations).entries]),
        next_thing=next_thing(own, indexes, faults=faults, entered=entered),
    )


def _unreached(host: Host, wired: list[Place]) -> tuple[Place, ...]:
    """Return personal folders of commands that no session finds; an interpreter's own are no fault."""
    reached = {os.path.realpath(one) for one in (*host.search_path(), *wired) if os.path.isabs(one)}
    personal = (join(host.home, ".local/bin"), join(host.home, "bin"), "/usr/local/bin")
    return tuple(
        one
        for one in usual_folders(host)
        if one in personal and os.path.realpath(one) not in reached and commands_in(one)
    )
