"""Which shells are a person's own: those to wire, and those that read the hook-up already."""

import os
from collections.abc import Sequence

from unified_shell.core.changes.blocks import BlockState
from unified_shell.core.machine.host import Host
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.dialects.table import DIALECTS, dialect_of_program
from unified_shell.core.shells.sessions.shell_programs import find_program

from .startup_files import read_startup_states

__all__ = ["chosen_shells", "own_shells", "shells_of_their_own", "wired_modes"]


def chosen_shells(host: Host, names: Sequence[Dialect] = ()) -> tuple[Dialect, ...]:
    """Return the shells to wire: those named, else the login shell's and this session's dialect.

    Where neither can be wired by this version, the first that is on this machine.
    """
    if names:
        return tuple(dict.fromkeys(names))
    found = [dialect_of_program(program) for program in (host.login_shell, host.variable("SHELL"))]
    known = tuple(dict.fromkeys(one for one in found if one is not None))
    return known or next(((one,) for one in DIALECTS if find_program(one, host)), ())


def own_shells(host: Host) -> tuple[Dialect, ...]:
    """Return those in which a person meets what `ush` sets up: their own, and those wired by a file of their own."""
    return tuple(dict.fromkeys((*chosen_shells(host), *shells_of_their_own(host))))


def shells_of_their_own(host: Host) -> tuple[Dialect, ...]:
    """Return the shells that have the hook-up in a file that no other shell reads."""
    return tuple(
        dialect
        for dialect in DIALECTS
        if find_program(dialect, host)
        and any(
            one.is_read and one.block is BlockState.WHOLE and os.path.basename(one.path) != ".profile"
            for one in read_startup_states(dialect, host)
        )
    )


def wired_modes(host: Host) -> tuple[tuple[Dialect, Mode], ...]:
    """Return each shell and mode whose new sessions read the hook-up, by the files as they are."""
    return tuple(
        dict.fromkeys(
            (dialect, state.mode)
            for dialect in DIALECTS
            if find_program(dialect, host)
            for state in read_startup_states(dialect, host)
            if state.is_read and state.block is BlockState.WHOLE
        )
    )
