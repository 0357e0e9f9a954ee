"""What changed since an earlier verification, line by line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.views.terminal.tables import heading, print_rows

if TYPE_CHECKING:
    from unified_shell.core.verification.reports.comparing import Difference
    from unified_shell.views.terminal.screen import Screen

__all__ = ["difference_lines", "print_difference"]


def difference_lines(since: Difference) -> list[str]:
    """Return a line for each thing that came, went or stayed; one that says so where nothing did."""
    lines = [f"new fault: {one.subject}: {one.answer}" for one in since.new]
    lines += [f"mended: {one.subject}: {one.answer}" for one in since.gone]
    lines += [f"still at fault: {one.subject}: {one.answer}" for one in since.still]
    lines += [f"now verified too: {one}" for one in since.new_targets]
    lines += [f"no longer verified: {one}" for one in since.gone_targets]
    lines += [f"slower: {what}, {then:.1f} s then, {now:.1f} s now" for what, then, now in since.slower]
    return lines or ["nothing changed"]


def print_difference(screen: Screen, since: Difference) -> None:
    """Write what changed."""
    heading(screen, f"Since {since.since[:19].replace('T', ' ')} UTC")
    print_rows(screen, [(line,) for line in difference_lines(since)])
