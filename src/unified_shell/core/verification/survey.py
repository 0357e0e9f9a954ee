"""This account and machine at a glance: the facts that `ush look` shows, and the one next thing to do."""

import os

from msgspec import Struct

from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.old_programs import programs_on_old
from unified_shell.core.indexes.registered import Index
from unified_shell.core.interpreters.adopted import Adopted, read_adopted
from unified_shell.core.interpreters.discovery import FoundInterpreter, discover
from unified_shell.core.interpreters.managed import ManagedInterpreter, all_managed
from unified_shell.core.interpreters.other_languages import OtherInterpreter
from unified_shell.core.machine.files.disks import Disk, read_disk
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.processes.running_programs import RunningProgram
from unified_shell.core.next_steps import NextStep
from unified_shell.core.shells.sessions.path_faults import PathFault
from unified_shell.core.shells.wiring.wiring import Entry, read_wiring
from unified_shell.core.suites.managed_suites import all_suites
from unified_shell.core.verification.names.staleness import stale_programs

from .standing import PresentShell, standing

__all__ = ["Survey", "survey"]


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
    suites: tuple[str, ...]
    indexes: tuple[Index, ...]
    wiring: tuple[Entry, ...]
    completes: bool
    stale_programs: tuple[RunningProgram, ...]
    programs_on_old: tuple[RunningProgram, ...]
    next_thing: NextStep

    @property
    def entered_name(self) -> str:
        """The name of the entered environment; empty where none is."""
        return os.path.basename(self.entered)


def survey(host: Host, locations: Locations, *, session_shell: str, session_is_interactive: bool) -> Survey:
    """Look at everything; opens no session and changes nothing."""
    found, here, wiring = discover(host), standing(host, locations), read_wiring(locations)
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
        shells=here.shells,
        path_entries=here.path_entries,
        path_faults=here.path_faults,
        unreached=here.unreached,
        environments=here.environments,
        adopted=read_adopted(locations),
        kept=all_managed(host, locations),
        suites=tuple(one.name for one in all_suites(host, locations)),
        indexes=here.indexes,
        wiring=wiring.entries,
        completes=wiring.completes,
        stale_programs=stale_programs(wiring),
        programs_on_old=programs_on_old(here.environments),
        next_thing=here.next_thing,
    )
