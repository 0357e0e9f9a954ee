"""Tables: a row a thing, no lines drawn, the same plain and in a terminal."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .plain_text import isolated, plain_text

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from rich.text import Text

    from .screen import Screen

__all__ = ["GOOD", "STYLES", "cells_of", "heading", "print_rows", "print_table", "state_style"]

# A longer cell goes beyond its column where there is no terminal.
MOST_ALIGNED = 60
# Columns stand this far from each other.
BETWEEN = 2
# Of the table of 256 colours: each can be read on a light ground and on a dark one. Terminals with fewer show the nearest.
GOOD, ODD, BAD = "color(28)", "color(163)", "color(160)"
STYLES = {
    "ready": GOOD,
    "passed": GOOD,
    "shadowed": ODD,
    "hidden": ODD,
    "stale": ODD,
    "mismatched": BAD,
    "broken": BAD,
    "absent": BAD,
    "FAULT": f"bold {BAD}",
    "warning": ODD,
    "add": GOOD,
    "remove": BAD,
    "change": ODD,
    "edit": ODD,
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
    """Write rows under titles, the columns as wide as they must be; where the terminal is too narrow for the words of a row,
    each row as a block.
    """
    kept = [tuple(map(_one_line, row)) for row in rows]
    if not screen.is_terminal:
        _print_plain(screen, [titles, *kept], indent)
        return
    widths = _widths([titles, *kept], screen.width - indent)
    if widths is None:
        _print_blocks(screen, titles, kept, indent)
        return
    _print_laid_out(screen, titles, kept, widths, indent)


def print_rows(screen: Screen, rows: Iterable[Sequence[str]], *, indent: int = 2) -> None:
    """Write rows without titles: a word, what it stands for, and what is to be said of that."""
    kept = [tuple(map(_one_line, row)) for row in rows]
    if not kept:
        return
    if not screen.is_terminal:
        _print_plain(screen, kept, indent)
        return
    # A column that nobody fills is none: it would take width from the others.
    count = max(number + 1 for row in kept for number, text in enumerate(row) if text or number == 0)
    kept = [row[:count] for row in kept]
    widths = _widths(kept, screen.width - indent)
    if widths is None:
        _print_blocks(screen, (), kept, indent)
        return
    _print_laid_out(screen, (), kept, widths, indent)


def _widths(rows: Sequence[Sequence[str]], room: int) -> list[int] | None:
    """Return how wide each column is, so that no word is broken and all fit; None where they do not fit.

    The cells of the first column stay whole; a word that is longer than half the terminal is broken in any case.
    """
    count = max(map(len, rows))
    least, wanted = [0] * count, [0] * count
    for row in rows:
        for number, text in enumerate(row):
            words = [text] if number == 0 else text.split(" ")
            least[number] = max(least[number], *(min(cells_of(word), room // 2) for word in words))
            wanted[number] = max(wanted[number], cells_of(text))
    between = BETWEEN * (count - 1)
    if sum(least) + between > room:
        return None
    over = sum(wanted) + between - room
    if over > 0:
        # The last column says what there is to say of the others, and wraps within itself, as far as it can be read.
        wanted[-1] = max(wanted[-1] - over, least[-1], min(wanted[-1], room // 4))
    while sum(wanted) + between > room:
        # Then the widest gives way.
        widest = max((one for one in range(count) if wanted[one] > least[one]), key=wanted.__getitem__)
        wanted[widest] -= 1
    return wanted


def _print_laid_out(
    screen: Screen, titles: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[int], indent: int
) -> None:
    from rich.padding import Padding
    from rich.table import Table

    table = Table(box=None, show_header=bool(titles), pad_edge=False, padding=(0, BETWEEN, 0, 0), header_style="bold")
    for number, width in enumerate(widths):
        table.add_column(titles[number] if titles else "", overflow="fold", width=width)
    for row in rows:
        table.add_row(*_cells(row))
    screen.out.print(Padding(table, (0, 0, 0, indent), expand=False))


def _print_blocks(screen: Screen, titles: Sequence[str], rows: Sequence[Sequence[str]], indent: int) -> None:
    """Write each row as a block: its first cell, then the others below it, with their titles where there are some."""
    from rich.padding import Padding
    from rich.text import Text

    for row in rows:
        first, *rest = _cells(row)
        for number, cell in enumerate((first, *rest)):
            if number and not cell.plain:
                continue
            title = f"{titles[number]}: " if number and titles and titles[number] else ""
            text = Text.assemble((title, "bold"), cell) if title else cell
            screen.out.print(Padding(text, (0, 0, 0, indent + (2 if number else 0)), expand=False), overflow="fold")


def _print_plain(screen: Screen, rows: Sequence[Sequence[str]], indent: int) -> None:
    """Write rows to a file or pipe: columns stand below each other, but one long cell does not push all others away."""
    count = max(map(len, rows))
    widths = [
        max((wide for row in rows if at < len(row) and (wide := cells_of(row[at])) <= MOST_ALIGNED), default=0)
        for at in range(count)
    ]
    for row in rows:
        cells = [
            f"{text}{' ' * (width - cells_of(text))}"
            for text, width in zip(row, widths, strict=False)
            if width or text
        ]
        line = "  ".join(cells)
        screen.result((" " * indent + line).rstrip())


def cells_of(text: str) -> int:
    """Return how many columns of a terminal a text takes: some letters take two, some none."""
    if text.isascii():
        return len(text)
    from rich.cells import cell_len

    return cell_len(text)


def _one_line(text: str) -> str:
    # A cell is one line: a name with a line end in it must not look like two rows.
    return plain_text(text).replace("\n", "\\n").replace("\t", "\\t")


def _cells(row: Sequence[str]) -> list[Text]:
    """Return a row's texts; the first, which says what the row is, is set off."""
    from rich.text import Text

    found = []
    for number, text in enumerate(row):
        style = state_style(text.strip()) if number == 0 else ""
        found.append(Text(isolated(text), style=style))
    return found
