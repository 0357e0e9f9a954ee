"""This account and machine at a glance: the facts that `ush look` shows, and the one next thing to do."""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.environments.model.registry import Environment, all_environments
from unified_shell.core.indexes.registered import INDEXES, Index
from unified_shell.core.interpreters.adopted import Adopted, read_adopted
from unified_shell.core.interpreters.discovery import FoundInterpreter, discover
from unified_shell.core.interpreters.managed import ManagedInterpreter, all_managed
from unified_shell.core.interpreters.other_languages import OtherInterpreter
from unified_shell.core.machine.common_dirs import usual_folders
from unified_shell.core.machine.files.disks import Disk, read_disk
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.running_programs import RunningProgram
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.dialects.table import DIALECTS
from unified_shell.core.shells.sessions.path_faults import FaultKind, PathFault, commands_in, find_faults
from unified_shell.core.shells.startup.hookup import wired_modes
from unified_shell.core.shells.wiring.wiring import Entry, read_wiring
from unified_shell.core.verification.names.staleness import stale_programs

__all__ = ["PresentShell", "Survey", "next_thing", "survey"]

# What is wrong wherever it is met.
ALWAYS_WRONG = frozenset({FaultKind.MISSING, FaultKind.DUPLICATE, FaultKind.EMPTY, FaultKind.NOT_DIRECTORY})
SHELL_NAMES = ("bash", "zsh", "fish", "sh", "dash", "ksh", "mksh", "tcsh", "csh", "busybox", "pwsh")


class PresentShell(Struct, frozen=True, kw_only=True):
    """A shell on this machine; `wired` are the modes whose new sessions read the hook-up."""

    name: str
    program: Place
    is_login_shell: bool
    can_be_wired: bool
    wired: tuple[str, ...]


class Survey(Struct, frozen=True, kw_only=True):
    """What was seen. `unreached` are folders with commands that are on no search path."""

    session_shell: str
    session_is_interactive: bool
    entered: Place
    system: str
    architecture: str
    word_size_bits: int
    libc: str
    disk: Disk
    interpreters: tuple[FoundInterpreter, ...]
    other_interpreters: tuple[OtherInterpreter, ...]
    shells: tuple[PresentShell, ...]
    path_entries: int
    path_faults: tuple[PathFault, ...]
    unreached: tuple[Place, ...]
    environments: tuple[Environment, ...]
    adopted: tuple[Adopted, ...]
    kept: tuple[ManagedInterpreter, ...]
    indexes: tuple[Index, ...]
    wiring: tuple[Entry, ...]
    stale_programs: tuple[RunningProgram, ...]
    next_thing: NextStep

    @property
    def entered_name(self) -> str:
        """The name of the entered environment; empty where none is."""
        return os.path.basename(self.entered)


def survey(host: Host, locations: Locations, *, session_shell: str, session_is_interactive: bool) -> Survey:
    """Look at everything; opens no session and changes nothing."""
    found = discover(host)
    environments = all_environments(host, locations)
    faults = find_faults(host.search_path())
    indexes, wiring = INDEXES.read_all(host, locations), read_wiring(locations)
    return Survey(
        session_shell=session_shell,
        session_is_interactive=session_is_interactive,
        entered=Place(host.variable("USH_ENVIRONMENT")),
        system=host.system_text,
        architecture=host.architecture,
        word_size_bits=host.word_size_bits,
        libc=str(host.libc),
        disk=read_disk(locations.data),
        interpreters=found.python,
        other_interpreters=found.others,
        shells=_shells(host),
        path_entries=len(host.search_path()),
        path_faults=faults,
        unreached=_unreached(host, [one.directory for one in wiring.entries]),
        environments=environments,
        adopted=read_adopted(locations),
        kept=all_managed(host, locations),
        indexes=indexes,
        wiring=wiring.entries,
        stale_programs=stale_programs(wiring),
        next_thing=next_thing(
            [one for one in environments if not one.everyones],
            indexes,
            faults=faults,
            entered=host.variable("USH_ENVIRONMENT"),
        ),
    )


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
    own = [one for one in environments if one.contents.language == "python"]
    here = next((one for one in environments if entered and one.prefix == entered), None)
    if here is not None and (here.contents.distributions or here not in own):
        return ush("verify", here.name)
    if not own:
        return ush("environment", "new", "study", why="a place for packages")
    empty = here or next((one for one in own if not one.contents.distributions), None)
    if empty is not None and not indexes:
        return ush("index", "add", "NAME", "ADDRESS", why="where packages come from; see ush index add --help")
    if empty is not None:
        return ush("package", "get", "REQUIREMENT", *empty.changing)
    return ush("verify", own[0].name)


def _shells(host: Host) -> tuple[PresentShell, ...]:
    wired: dict[str, list[str]] = {}
    for dialect, mode in wired_modes(host):
        wired.setdefault(dialect.name, []).append(mode.value)
    owner = {name: dialect.name for dialect in DIALECTS for name in dialect.programs}
    found = []
    for name in SHELL_NAMES:
        folders = (*host.search_path(), "/bin", "/usr/bin", "/usr/local/bin")
        program = next(
            (join(one, name) for one in folders if one.startswith("/") and is_executable_file(join(one, name))), None
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


def _unreached(host: Host, wired: list[Place]) -> tuple[Place, ...]:
    """Return personal folders of commands that no session finds; an interpreter's own are no fault."""
    reached = {os.path.realpath(one) for one in (*host.search_path(), *wired) if one.startswith("/")}
    personal = (join(host.home, ".local/bin"), join(host.home, "bin"), "/usr/local/bin")
    return tuple(
        one
        for one in usual_folders(host)
        if one in personal and os.path.realpath(one) not in reached and commands_in(one)
    )
