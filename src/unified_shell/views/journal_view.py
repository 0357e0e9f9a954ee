"""The journal, as a person reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from unified_shell.core.changes.journal import Entry, EntryState
from unified_shell.core.machine.clock import shown_time
from unified_shell.core.machine.files.disks import shown_size

from .terminal.tables import print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from .terminal.screen import Screen

__all__ = ["JournalRow", "print_journal"]


class JournalRow(Struct, frozen=True, kw_only=True):
    """An entry, whether it is in force, and the bytes kept only so that it can be undone or done again."""

    entry: Entry
    standing: bool
    kept_bytes: int


def print_journal(screen: Screen, rows: Sequence[JournalRow]) -> None:
    """Write the entries, newest first."""
    if not rows:
        screen.result("No changes yet.")
        return
    print_table(
        screen,
        ("change", "when", "what", "state", "kept for undo"),
        [
            (
                str(row.entry.number),
                shown_time(row.entry.began_seconds),
                row.entry.words,
                _state(row),
                shown_size(row.kept_bytes) if row.kept_bytes else "",
            )
            for row in rows
        ],
    )


def _state(row: JournalRow) -> str:
    note = f": {row.entry.note}" if row.entry.note else ""
    if row.entry.state is not EntryState.DONE:
        return f"{row.entry.state.value}{note}"
    return f"done{note}" if row.standing else "taken back"
