"""Startup files, as a person reads them."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from unified_shell.core.changes.blocks import BlockState
from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.table import DIALECTS
from unified_shell.core.shells.startup.startup_costs import edits_paths

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from collections.abc import Set as AbstractSet

    from unified_shell.core.shells.dialects.dialect import SessionScript
    from unified_shell.core.shells.startup.startup_costs import FileCost
    from unified_shell.core.shells.startup.startup_files import StartupState

    from .terminal.screen import Screen

__all__ = ["print_command_sessions", "print_session_scripts", "print_startup_files"]


def print_startup_files(
    screen: Screen,
    states: Sequence[StartupState],
    costs: Mapping[str, FileCost],
    *,
    targets: AbstractSet[tuple[str, str]],
    unverified: Sequence[str],
    home: str,
) -> None:
    """Write a row for each shell and file, in the order of reading, with the sessions that read it.

    Files that are not there are left out, but for `targets`, the (shell, path) where a hook-up would go.
    """
    rows = []
    for (shell, path), group in _grouped(states).items():
        one = group[0]
        if not one.exists and (shell, path) not in targets:
            continue
        hook = {BlockState.WHOLE: "yes", BlockState.ABSENT: ""}.get(one.block, one.block.value)
        hook = hook or ("goes here" if (shell, path) in targets else "")
        cost = costs.get(f"{shell}\0{path}")
        rows.append(
            (
                shell,
                " and ".join(dict.fromkeys(state.mode.value for state in group)),
                shown(path, home),
                _reading(one),
                hook,
                "yes" if one.exists and edits_paths(one.real) else "",
                f"{cost.milliseconds:.1f} ms" if cost else "",
                _remarks(one, home),
            )
        )
    titles = ("shell", "sessions", "startup file", "", "hook-up", "edits paths", "costs", "remarks")
    used = [number for number in range(len(titles)) if number < 5 or any(row[number] for row in rows)]
    print_table(screen, [titles[at] for at in used], [[row[at] for at in used] for row in rows])
    for name in unverified:
        screen.result(f"{name}: its files can be written, but it could not be run when this was made: unverified")
    if not any(one.block is BlockState.WHOLE and one.is_read for one in states):
        screen.next(
            (ush("shell", "wire"), "or", ush("path", "add", "DIRECTORY", why="wires as well")), label="\nNext"
        )


def print_session_scripts(screen: Screen, scripts: Sequence[SessionScript], home: str) -> None:
    """Write the scripts that new sessions read."""
    if not scripts:
        return
    rows = [
        (
            shown(one.file, home),
            one.dialect,
            ", ".join(dialect.name for dialect in DIALECTS if one.dialect in dialect.reads),
            "" if os.access(one.file, os.R_OK) else "missing; sessions skip it",
        )
        for one in scripts
    ]
    screen.result("")
    print_table(screen, ("session script", "written for", "read by", "remarks"), rows)


def _grouped(states: Sequence[StartupState]) -> dict[tuple[str, str], list[StartupState]]:
    groups: dict[tuple[str, str], list[StartupState]] = {}
    for one in states:
        groups.setdefault((one.shell, one.path), []).append(one)
    return groups


def _remarks(one: StartupState, home: str) -> str:
    link = "" if one.path == one.real else f"a link to {shown(one.real, home)}"
    return "; ".join(filter(None, ["everyone's" if one.system else "", link, one.trouble]))


def _reading(state: StartupState) -> str:
    if state.hidden:
        return "hidden by an earlier one"
    return "is read" if state.is_read else "is not there"


def print_command_sessions(screen: Screen, told: Sequence[tuple[str, str, str]]) -> None:
    """Write what each shell reads for scripts, cron and ssh commands, and what gives one of them the wiring."""
    heading(screen, "\nScripts, cron and `ssh host COMMAND`")
    print_table(screen, ("shell", "reads", "to use the wiring, begin a script with"), told, indent=2)
