"""The figures of a report, drawn where the plots extra is installed; all that they show stands in tables as well."""

from __future__ import annotations

import io
import os
import re
import zlib
from html import escape
from typing import TYPE_CHECKING

from msgspec import Struct

from .trial_plot import draw_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from unified_shell.core.verification.reports.contents import DistributionFacts, EnvironmentFacts

__all__ = ["PlotFigure", "environment_figures", "table_figure"]

# More bars cannot be read; more names in a drawing neither.
MOST_BARS = 15
MOST_NODES = 40
# The page's own colour for bars, by its style sheet; text and lines take the page's text colour.
BAR, LINE = "#8a5a01", "#8a8578"
INCHES_WIDE = 9.0


class PlotFigure(Struct, frozen=True):
    """A figure as SVG, and what it shows."""

    svg: str
    caption: str


def environment_figures(facts: EnvironmentFacts) -> tuple[PlotFigure, ...]:
    """Return the figures of an environment; none where they cannot be drawn, or there is nothing to show."""
    try:
        from matplotlib.figure import Figure
    except ImportError:
        return ()
    every = facts.distributions
    found = []
    timed = sorted((one for one in every if one.import_seconds >= 0.005), key=lambda one: -one.import_seconds)
    if timed:
        rows = [(one.name, one.import_seconds) for one in timed[:MOST_BARS]]
        caption = f"Seconds that imports took, the longest {len(rows)}."
        found.append(PlotFigure(_svg(_bars(Figure, rows, "seconds"), caption), caption))
    sized = sorted((one for one in every if one.size_bytes), key=lambda one: -one.size_bytes)
    if sized:
        rows = [(one.name, one.size_bytes / 1e6) for one in sized[:MOST_BARS]]
        caption = f"Megabytes on disk, the largest {len(rows)} distributions."
        found.append(PlotFigure(_svg(_bars(Figure, rows, "MB"), caption), caption))
    if any(one.requires for one in every):
        shown = _most_connected(every)
        caption = "Who requires whom: each name requires those to its right that it is joined to."
        if len(shown) < len(every):
            caption += f" The {len(shown)} of {len(every)} distributions with the most connections."
        found.append(PlotFigure(_svg(_drawing(Figure, shown), caption), caption))
    return tuple(found)


def table_figure(path: str) -> PlotFigure | None:
    """Return the figure of a table that a trial made; None where it cannot be drawn, or is gone."""
    drawn = draw_table(path) if os.path.isfile(path) else None
    caption = f"The numbers of {os.path.basename(path)} over its first column."
    return PlotFigure(_svg(drawn, caption), caption) if drawn is not None else None


def _bars(figure_type: type[Figure], rows: Sequence[tuple[str, float]], unit: str) -> Figure:
    figure = figure_type(figsize=(INCHES_WIDE, 0.7 + 0.27 * len(rows)), layout="constrained")
    axes = figure.subplots()
    names, values = [name for name, _ in rows][::-1], [value for _, value in rows][::-1]
    drawn = axes.barh(names, values, color=BAR, height=0.7)
    axes.bar_label(drawn, fmt=lambda value: f"{value:.2g}" if value < 10 else f"{value:.0f}", padding=3)
    axes.set_xlabel(unit)
    axes.margins(x=0.08, y=0.01)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    return figure


def _most_connected(every: Sequence[DistributionFacts]) -> list[DistributionFacts]:
    required = [name for one in every for name in one.requires]
    joined = [one for one in every if one.requires or one.name in required]
    joined.sort(key=lambda one: (not one.is_requested, -len(one.requires) - required.count(one.name), one.name))
    return joined[:MOST_NODES]


def _drawing(figure_type: type[Figure], shown: Sequence[DistributionFacts]) -> Figure:
    """Draw each distribution right of all that require it, in columns."""
    names = {one.name for one in shown}
    edges = [(one.name, other) for one in shown for other in one.requires if other in names]
    depth = _depths([one.name for one in shown], edges)
    columns: dict[int, list[str]] = {}
    for each in shown:
        columns.setdefault(depth[each.name], []).append(each.name)
    tallest = max(len(column) for column in columns.values())
    places: dict[str, tuple[float, float]] = {}
    for number, column in sorted(columns.items()):
        # Each stands near the middle of what requires it, so that fewer lines cross.
        column.sort(key=lambda name: _middle([places[a][1] for a, b in edges if b == name and a in places]))
        step = tallest / len(column)
        for row, name in enumerate(column):
            places[name] = (float(number), -(row + 0.5) * step)
    figure = figure_type(figsize=(INCHES_WIDE, 0.8 + 0.3 * tallest), layout="constrained")
    axes: Axes = figure.subplots()
    for one, other in edges:
        (x, y), (z, w) = places[one], places[other]
        axes.plot([x, z], [y, w], color=LINE, linewidth=0.8, zorder=1)
    for name, (x, y) in places.items():
        box = {"boxstyle": "round,pad=0.25", "facecolor": "#f4f0e7", "edgecolor": LINE, "linewidth": 0.8}
        axes.text(x, y, name, ha="center", va="center", fontsize=8.5, bbox=box, zorder=2)
    axes.set_xlim(-0.5, max(columns) + 0.5)
    axes.set_ylim(-tallest, 0)
    axes.set_axis_off()
    return figure


def _middle(values: Sequence[float]) -> float:
    return -sum(values) / len(values) if values else 0.0


def _depths(names: Sequence[str], edges: Sequence[tuple[str, str]]) -> dict[str, int]:
    """Return how many others stand before each, at most; circles are cut after as many rounds as there are names."""
    depth = dict.fromkeys(names, 0)
    for _ in names:
        moved = False
        for one, other in edges:
            if depth[other] <= depth[one] < len(names) - 1 and (other, one) not in edges:
                depth[other], moved = depth[one] + 1, True
        if not moved:
            break
    used = sorted(set(depth.values()))
    return {name: used.index(value) for name, value in depth.items()}


def _svg(figure: Figure, caption: str) -> str:
    """Return a figure as SVG that takes the page's colours, with what it shows for those who do not see it."""
    import matplotlib as mpl

    out = io.StringIO()
    with mpl.rc_context({"svg.fonttype": "none", "svg.hashsalt": caption, "font.family": "sans-serif"}):
        figure.savefig(out, format="svg", transparent=True, metadata={"Date": None, "Creator": None})
    text = out.getvalue()
    text = text[text.index("<svg") :]
    text = re.sub(r"<metadata>.*?</metadata>", "", text, flags=re.DOTALL)
    text = text.replace("#000000", "currentColor").replace(BAR, "var(--bar)").replace(LINE, "var(--soft)")
    text = text.replace("#f4f0e7", "var(--card)").replace("font: ", "fill: currentColor; font: ")
    # Widths in points would keep the figure from fitting the page.
    text = re.sub(r'<svg ([^>]*?)(?:width|height)="[\d.]+pt" ', r"<svg \1", text)
    text = re.sub(r'<svg ([^>]*?)(?:width|height)="[\d.]+pt" ', r"<svg \1", text)
    # Several figures on one page must not share names.
    prefix = f"f{zlib.crc32(caption.encode())}-"
    text = re.sub(r'\bid="', f'id="{prefix}', text)
    text = re.sub(r'(href="#|url\(#)', rf"\g<1>{prefix}", text)
    return text.replace("<svg ", f'<svg role="img" aria-label="{escape(caption)}" ', 1)
