"""Outfits: what differs since a machine was equipped, what a starter brings, what could not be captured."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.outfits.drift import Drift

    from .screen import Screen

__all__ = ["print_drift", "print_left_out"]


def print_left_out(screen: Screen, left_out: Sequence[str]) -> None:
    """Write what could not be captured; nothing where all was."""
    if left_out:
        heading(screen, "Not captured")
        for one in left_out:
            screen.result(f"  {one}")


def print_drift(screen: Screen, drift: Sequence[Drift]) -> None:
    """Write what was changed since; nothing where nothing was."""
    if drift:
        heading(screen, "Changed since it was equipped")
        print_table(screen, ("what", "how it differs"), [(one.subject, one.difference) for one in drift], indent=2)
