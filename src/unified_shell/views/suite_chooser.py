"""Choosing a suite at a terminal: what is offered by category, with what is here marked."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from unified_shell.core.machine.files.disks import shown_size

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.suites.suite_list import SuiteRow

    from .terminal.screen import Screen

__all__ = ["choose_suite"]


def choose_suite(screen: Screen, rows: Sequence[SuiteRow]) -> str:
    """Show the suites with numbers, grouped by category, and return the one that a person names by number or name; raises
    Abort where they leave.
    """
    groups: dict[str, list[SuiteRow]] = {}
    for one in sorted(rows, key=lambda row: (row.categories[:1] or ("other",), row.name)):
        groups.setdefault(one.categories[0] if one.categories else "other", []).append(one)
    ordered = [one for group in groups.values() for one in group]
    number = 0
    for category, group in groups.items():
        heading(screen, category)
        table = []
        for one in group:
            number += 1
            size = shown_size(one.size_bytes) if one.size_bytes else ""
            brings = f"{one.summary}; brings {', '.join(one.needs)}" if one.needs else one.summary
            table.append((str(number), one.name, one.version, one.state, size, brings))
        print_table(screen, ("", "suite", "version", "state", "download", "what it is"), table, indent=2)
    names = {one.name for one in ordered}
    while True:
        said: str = click.prompt("Which one? Its number or name", default="", show_default=False, err=True).strip()
        if not said:
            raise click.Abort
        if said.isdigit() and 1 <= int(said) <= len(ordered):
            chosen = ordered[int(said) - 1]
            return f"{chosen.name}=={chosen.version}"
        if said in names:
            return said
        screen.say(f"{said} is neither a number of the list nor a name in it.")
