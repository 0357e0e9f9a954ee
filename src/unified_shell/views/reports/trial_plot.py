"""A plot of a table that a trial made, where the plots extra is installed: what a person looks at first."""

from __future__ import annotations

import csv
import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["draw_table", "plot_table"]

# A few rows are read, not looked at.
LEAST_ROWS = 5
# A table with more columns is not one picture.
MOST_LINES = 6


def plot_table(path: str) -> str:
    """Draw a table's numbers over its first column, beside it, and return the picture's path; empty where there is nothing to
    draw, or nothing to draw with.
    """
    figure = draw_table(path)
    if figure is None:
        return ""
    picture = f"{os.path.splitext(path)[0]}.png"
    figure.savefig(picture, dpi=140)
    return picture


def draw_table(path: str) -> Figure | None:
    """Return the drawing of a table's numbers over its first column; None as above."""
    try:
        from matplotlib.figure import Figure
    except ImportError:
        return None
    names, columns = _numbers(path)
    if len(columns) < 2 or len(columns[0]) < LEAST_ROWS:
        return None
    figure = Figure(figsize=(9.0, 4.5), layout="constrained")
    axes = figure.subplots()
    for name, column in list(zip(names, columns, strict=True))[1 : MOST_LINES + 1]:
        axes.plot(columns[0], column, label=name, linewidth=1.6)
    axes.set_xlabel(names[0])
    if len(columns) == 2:
        axes.set_ylabel(names[1])
    else:
        axes.legend(frameon=False)
    axes.set_title(os.path.basename(path), loc="left")
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.grid(alpha=0.3)
    return figure


def _numbers(path: str) -> tuple[list[str], list[list[float]]]:
    """Return the names and numbers of a table's columns; nothing where a cell is no number."""
    with open(path, newline="", encoding="utf-8", errors="replace") as file:
        rows = [row for row in csv.reader(file) if row]
    try:
        body = [[float(cell) for cell in row] for row in rows[1:]]
        return rows[0] if rows else [], [list(column) for column in zip(*body, strict=True)]
    except ValueError:
        return [], []
