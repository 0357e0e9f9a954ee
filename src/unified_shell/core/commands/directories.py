"""What a directory or file offers, and on which path it is."""

import os

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.elf import bytes_cut_off, read_elf
from unified_shell.core.machine.programs.executables import (
    Executable,
    FileKind,
    is_executable_file,
    is_program_without_bit,
    read_executable,
)
from unified_shell.core.machine.programs.pe import read_pe
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.sessions.path_faults import commands_in
from unified_shell.core.shells.wiring.wiring import read_wiring

__all__ = ["PlaceReport", "look_at_place", "programs_without_bit"]

# Each is opened: a directory of data with very many files must not hold up the answer.
MOST_LOOKED_AT = 2000


class PlaceReport(Struct, frozen=True, kw_only=True):
    """A directory or file. `position` is that of the directory on this session's PATH, 0 for none.

    `without_execute_bit` are programs in it that nobody may execute; `belongs_to` says which environment or interpreter
    it is, or is part of.
    """

    path: Place
    file_kind: str
    directory: Place
    position: int
    wired: bool
    commands: tuple[str, ...]
    hidden_commands: tuple[str, ...]
    remedy: NextStep
    without_execute_bit: tuple[str, ...] = ()
    belongs_to: str = ""
    # The libraries that a program file is loaded with, by name, and what of it is not in the file.
    needs: tuple[str, ...] = ()
    lost_bytes: int = 0


def look_at_place(text: str, host: Host, locations: Locations) -> PlaceReport:
    """Look at a path, absolute or relative to the working directory."""
    path = Place(os.path.normpath(text if os.path.isabs(text) else join(host.working_directory, text)))
    facts = read_executable(path)
    kind, needs, lost = _program_facts(path, facts)
    is_folder = facts.kind is FileKind.DIRECTORY
    folder = path if is_folder else Place(os.path.dirname(path))
    entries = list(host.search_path())
    position = entries.index(folder) + 1 if folder in entries else 0
    commands = commands_in(folder) if is_folder else ((os.path.basename(path),) if is_executable_file(path) else ())
    wired = read_wiring(locations).find("PATH", folder) is not None
    remedy: NextStep = ""
    if commands and not position:
        remedy = "open a new session" if wired else ush("path", "add", folder)
    return PlaceReport(
        path=path,
        file_kind=kind,
        directory=folder,
        position=position,
        wired=wired,
        commands=commands,
        hidden_commands=_hidden(commands, entries[: position - 1] if position else entries),
        remedy=remedy,
        without_execute_bit=programs_without_bit(folder) if is_folder else (),
        needs=needs,
        lost_bytes=lost,
    )


def _program_facts(path: str, facts: Executable) -> tuple[str, tuple[str, ...], int]:
    """Return what a file is in words, the libraries that it needs, and how many of its bytes are lost."""
    if facts.kind is FileKind.PE and (found := read_pe(path)) is not None:
        return found.title, found.needs, found.lost_bytes
    if facts.kind is FileKind.ELF and (program := read_elf(path)) is not None:
        return facts.title, program.needed, bytes_cut_off(path)
    return _kind(facts), (), 0


def programs_without_bit(folder: str) -> tuple[str, ...]:
    """Return the programs of a folder that nobody may execute, by their names."""
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return ()
    return tuple(name for name in names[:MOST_LOOKED_AT] if is_program_without_bit(join(folder, name)))


def _kind(facts: Executable) -> str:
    if facts.kind in (FileKind.ELF, FileKind.MACH_O, FileKind.PE):
        return facts.title
    return f"script for {facts.interpreter}" if facts.kind is FileKind.SCRIPT else facts.kind.value


def _hidden(commands: tuple[str, ...], earlier: list[str]) -> tuple[str, ...]:
    return tuple(
        one for one in commands if any(folder and is_executable_file(join(folder, one)) for folder in earlier)
    )
