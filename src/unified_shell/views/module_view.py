"""What `ush look` shows of a module."""

from __future__ import annotations

import textwrap
from typing import TYPE_CHECKING

from unified_shell.core.commands.states import State
from unified_shell.core.machine.places import shown
from unified_shell.core.verification.names.providers import ProviderPlace

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from unified_shell.core.verification.modules.module_states import ModuleReport

    from .terminal.screen import Screen

__all__ = ["print_module"]

MEANINGS = {
    State.READY: "a new session's interpreter imports it",
    State.HIDDEN: "installed elsewhere, not in the Python that a session starts",
    State.MISMATCHED: "it was compiled for another interpreter",
    State.BROKEN: "installed, but does not load",
    State.ABSENT: "no interpreter or environment here has it",
}


def print_module(screen: Screen, report: ModuleReport, home: str) -> None:
    """Write who has a module, in which state, and who does not."""
    heading(screen, f"module {report.name}: {report.state.value} — {MEANINGS[report.state]}")
    rows = [
        (
            one.state.value,
            one.owner,
            f"{one.word_size_bits} bit" if one.word_size_bits else "",
            shown(one.file, home) if one.file else "",
            one.why,
        )
        for one in report.holders
    ]
    if rows:
        columns = ("state", "who", "word size", "file", "why")
        shown_columns = 5 if any(row[4] for row in rows) else 4
        print_table(screen, columns[:shown_columns], [row[:shown_columns] for row in rows], indent=2)
    if report.without:
        without = ", ".join(dict.fromkeys(report.without))
        text = f"not found in: {without}"
        screen.result(textwrap.fill(text, screen.width, initial_indent="  ", subsequent_indent="    "))
    if report.import_as:
        screen.result(f"  a project of that name is there; it is imported as: {', '.join(report.import_as)}")
    for one in report.providers:
        where = {
            ProviderPlace.ENVIRONMENT: f"installed in {one.environment}",
            ProviderPlace.STORE: "in the store",
            ProviderPlace.INDEX: "seen on an index",
        }[one.place]
        screen.result(f"  provided by {one.project} ({where})")
    if not report.holders and not report.import_as and not report.providers:
        screen.result("  its project is unknown here; project and module names often differ")
    screen.next(report.remedy)
