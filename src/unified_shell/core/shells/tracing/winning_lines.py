"""What to do where a person's own line wins against the wiring.

A line below the hook-up that puts a directory in front stands before what the wiring put there. There are two ways out:
comment that line out, or let the hook-up stand behind it.
"""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join, shown
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import NextStep, ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.path_faults import commands_in

from .tracing import trace_path

__all__ = ["Winner", "way_out", "winner_against"]


class Winner(Struct, frozen=True, kw_only=True):
    """A directory that stands before another one and has a command of the same name."""

    directory: str
    command: str


def winner_against(directory: str, entries: Sequence[str], own: Sequence[str]) -> Winner | None:
    """Return the first entry in front of a directory whose command answers in its stead; `own` are the wiring's."""
    if directory not in entries:
        return None
    names = commands_in(directory)
    for entry in entries[: list(entries).index(directory)]:
        if entry in own or not os.path.isabs(entry):
            continue
        for name in names:
            other = join(entry, name)
            if is_executable_file(other) and not os.path.samefile(other, join(directory, name)):
                return Winner(directory=entry, command=name)
    return None


def way_out(directory: str, dialect: Dialect, mode: Mode, host: Host) -> tuple[str, NextStep]:
    """Say which line puts a directory in front in such a session, and what is typed to let the wiring win; empty for an
    entry that no startup file puts there.
    """
    trace = trace_path(dialect, mode, host, [directory])
    source = trace.entries[0] if trace.entries else None
    if source is None or not source.file or "/wiring/" in source.file:
        return "", ""
    where = shown(source.file, host.home) + (f", line {source.line}" if source.line else "")
    return where, (ush("path", "drop", directory), "or", ush("shell", "wire", dialect.name, "--at-end"))
