"""Startup files, as a person reads them."""

from collections.abc import Sequence

from unified_shell.core.changes.blocks import BlockState
from unified_shell.core.machine.places import shown
from unified_shell.core.shells.startup_files import StartupState

from .screen import Screen
from .tables import print_table

__all__ = ["print_startup_files"]


def print_startup_files(screen: Screen, states: Sequence[StartupState], home: str) -> None:
    """Write a row for each shell, mode and file."""
    rows = []
    for one in states:
        read = _reading(one)
        hook = {BlockState.WHOLE: "yes", BlockState.ABSENT: "no"}.get(one.block, one.block.value)
        link = "" if one.path == one.real else f"a link to {shown(one.real, home)}"
        remarks = "; ".join(filter(None, [link, one.trouble]))
        rows.append((one.shell, one.mode.value, shown(one.path, home), read, hook, remarks))
    print_table(screen, ("shell", "session", "startup file", "", "hook-up", "remarks"), rows)
    if not any(one.block is BlockState.WHOLE and one.is_read for one in states):
        screen.result("\nNext: ush shell wire   or   ush path add DIRECTORY, which does it as well")


def _reading(state: StartupState) -> str:
    if state.hidden:
        return "is hidden by the one above"
    return "is read" if state.is_read else "is not there"
