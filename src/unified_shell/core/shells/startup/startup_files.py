"""Which startup files a shell reads here, what they hold of the hook-up, and which one takes it."""

import os

from msgspec import Struct

from unified_shell.core.changes.blocks import BlockState, find_block
from unified_shell.core.errors import CouldNot, Refused
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.next_steps import Command
from unified_shell.core.shells.dialects.dialect import Dialect, Mode, StartupFile

from .told_variables import told_variables

__all__ = ["StartupState", "check_takes_block", "hook_file", "read_startup_state", "read_startup_states"]


class StartupState(Struct, frozen=True, kw_only=True):
    """One startup file of one shell and mode, as it is now. `real` is where links lead;
    `hidden`: an earlier file of its group is read instead."""

    shell: str
    mode: Mode
    path: Place
    real: Place
    exists: bool
    is_read: bool
    hidden: bool
    block: BlockState
    system: bool = False
    takes_hook: bool = False
    trouble: str = ""


def read_startup_states(dialect: Dialect, host: Host) -> tuple[StartupState, ...]:
    """Return every startup file of a shell, by mode, in the order of reading."""
    found, variables = [], told_variables(dialect, host)
    for mode in Mode:
        groups_read: set[str] = set()
        for file in dialect.startup_files(mode, host.home, variables):
            state = read_startup_state(dialect, mode, file, hidden=file.group in groups_read)
            found.append(state)
            # Even an unreadable file hides those after it; a dangling link does not.
            if file.group and state.exists:
                groups_read.add(file.group)
    return tuple(found)


def read_startup_state(dialect: Dialect, mode: Mode, file: StartupFile, *, hidden: bool = False) -> StartupState:
    """Look at one startup file; what cannot be read is said, not raised."""
    path = file.path
    real, exists, block, trouble = Place(os.path.realpath(path)), os.path.exists(path), BlockState.ABSENT, ""
    try:
        content = read_file(real)
        block = BlockState.ABSENT if content is None else find_block(content[0]).state
    except OSError as error:
        trouble = (error.strerror or str(error)).lower()
    return StartupState(
        shell=dialect.name,
        mode=mode,
        path=path,
        real=real,
        exists=exists,
        is_read=exists and not hidden,
        hidden=exists and hidden,
        block=block,
        system=file.system,
        takes_hook=file.takes_hook,
        trouble=trouble,
    )


def hook_file(dialect: Dialect, mode: Mode, host: Host) -> StartupState | None:
    """Return the file that takes the hook-up for a mode: the one that is read, else the one to make.

    None where the shell reads no personal file in this mode.
    """
    states = [one for one in read_startup_states(dialect, host) if one.mode is mode and one.takes_hook]
    read = next((state for state in states if state.is_read), None)
    if read is not None:
        return read
    new = dialect.new_hook_file(mode, host.home, told_variables(dialect, host))
    if new is None:
        return None
    return read_startup_state(dialect, mode, StartupFile(path=new, takes_hook=True))


def check_takes_block(state: StartupState, host: Host) -> None:
    """Raise where a startup file cannot take the block; the file is named, and what to do."""
    name = shown(state.path, host.home)
    if state.trouble:
        raise CouldNot(f"{name} cannot be read: {state.trouble}", next_step=Command(words=("ls", "-l", state.path)))
    folder = os.path.dirname(state.real)
    if os.path.isdir(folder) and not os.access(folder, os.W_OK):
        raise CouldNot(
            f"{shown(folder, host.home)} cannot be written, so {name} cannot be changed",
            next_step=Command(words=("ls", "-ld", folder)),
        )
    if state.exists and host.user_id > 0 and (owner := os.stat(state.real).st_uid) != host.user_id:
        raise Refused(
            f"{name} belongs to another account (user {owner}); replacing it would make it yours",
            next_step=Command(words=("sudo", "chown", str(host.user_id), state.real), why="if it should be yours"),
        )
    if state.block is BlockState.DAMAGED:
        raise Refused(
            f"the hook-up in {name} is {state.block.value}",
            next_step=f'take the lines with "#(ush)" out of {name}, then try again',
        )
    content = read_file(state.real)
    last = b"" if content is None else content[0].rstrip(b"\n").rsplit(b"\n", 1)[-1]
    # A comment goes on over the line end in csh alone.
    is_comment = last.lstrip().startswith(b"#") and state.shell != "tcsh"
    if last.endswith(b"\\") and not is_comment:
        raise Refused(
            f"the last line of {name} ends in a backslash and would swallow what follows",
            next_step=f"correct the last line of {name}, then try again",
        )
