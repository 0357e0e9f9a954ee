"""Tables: a row a thing, no lines drawn, the same plain and in a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .plain_text import plain_text

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from rich.table import Table
    from rich.text import Text

    from .screen import Screen

__all__ = ["heading", "print_rows", "print_table", "state_style"]

# A longer cell goes beyond its column where there is no terminal.
MOST_ALIGNED = 60
STYLES = {
    "ready": "green",
    "passed": "green",
    "shadowed": "magenta",
    "hidden": "magenta",
    "stale": "magenta",
    "mismatched": "red",
    "broken": "red",
    "absent": "red",
    "FAULT": "bold red",
    "warning": "magenta",
    "add": "green",
    "remove": "red",
    "change": "magenta",
    "edit": "magenta",
}


def state_style(word: str) -> str:
    """Return how a word is set off; nothing for most."""
    return STYLES.get(word, "")


def heading(screen: Screen, text: str) -> None:
    """Write a section's heading."""
    if not screen.is_terminal:
        screen.result(text)
        return
    from rich.text import Text

    screen.out.print(Text(text, style="bold"))


def print_table(screen: Screen, titles: Sequence[str], rows: Iterable[Sequence[str]], *, indent: int = 0) -> None:
    """Write rows under titles, the columns as wide as they must be."""
    if not screen.is_terminal:
        _print_plain(screen, [titles, *rows], indent)
        return
    from rich.table import Table

    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    for number, title in enumerate(titles):
        # The last column takes what is left and wraps within itself.
        table.add_column(title, overflow="fold", no_wrap=number == 0)
    for row in rows:
        table.add_row(*_cells(row))
    _print_indented(screen, table, indent)


def print_rows(screen: Screen, rows: Iterable[Sequence[str]], *, indent: int = 2) -> None:
    """Write rows without titles: a word, what it stands for, and what is to be said of that."""
    kept = list(rows)
    if not kept:
        return
    if not screen.is_terminal:
        _print_plain(screen, kept, indent)
        return
    from rich.table import Table

    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
    # A column that nobody fills is none: it would take width from the others.
    width = max(number + 1 for row in kept for number, text in enumerate(row) if text or number == 0)
    for number in range(width):
        table.add_column(overflow="fold", no_wrap=number == 0)
    for row in kept:
        table.add_row(*_cells(row[:width]))
    _print_indented(screen, table, indent)


def _print_plain(screen: Screen, rows: Sequence[Sequence[str]], indent: int) -> None:
    """Write rows to a file or pipe: columns stand below each other, but one long cell does not push all others away."""
    cells = [[_one_line(text) for text in row] for row in rows]
    count = max(len(row) for row in cells)
    fitting = [
        [len(row[at]) for row in cells if at < len(row) and len(row[at]) <= MOST_ALIGNED] for at in range(count)
    ]
    widths = [max(one, default=0) for one in fitting]
    for row in cells:
        line = "  ".join(text.ljust(width) for text, width in zip(row, widths, strict=False) if width or text)
        screen.result((" " * indent + line).rstrip())


def _one_line(text: str) -> str:
    # A cell is one line: a name with a line end in it must not look like two rows.
    return plain_text(text).replace("\n", "\\n").replace("\t", "\\t")


def _cells(row: Sequence[str]) -> list[Text]:
    """Return a row's texts; the first, which says what the row is, is set off."""
    from rich.text import Text

    found = []
    for number, text in enumerate(row):
        style = state_style(text.strip()) if number == 0 else ""
        found.append(Text(_one_line(text), style=style))
    return found


def _print_indented(screen: Screen, table: Table, indent: int) -> None:
    from rich.padding import Padding

    screen.out.print(Padding(table, (0, 0, 0, indent), expand=False))
