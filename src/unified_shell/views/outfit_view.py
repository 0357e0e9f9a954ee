"""Outfits: what differs since a machine was equipped, what a starter brings, what could not be captured."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from unified_shell.core.machine.files.disks import shown_size

from .terminal.tables import heading, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.outfits.drift import Drift
    from unified_shell.core.outfits.starters import Starter

    from .terminal.screen import Screen

__all__ = ["choose_starter", "print_drift", "print_left_out", "print_starters"]


def print_left_out(screen: Screen, left_out: Sequence[str]) -> None:
    """Write what could not be captured; nothing where all was."""
    if left_out:
        heading(screen, "Not captured")
        for one in left_out:
            screen.result(f"  {one}")


def print_drift(screen: Screen, drift: Sequence[Drift]) -> None:
    """Write what was changed since, and each command that puts some of it right; nothing where nothing was."""
    if drift:
        heading(screen, "Changed since it was equipped")
        print_table(screen, ("what", "how it differs"), [(one.subject, one.difference) for one in drift], indent=2)
    for remedy in dict.fromkeys(one.remedy for one in drift if one.remedy is not None):
        screen.next(remedy)


def print_starters(screen: Screen, found: Sequence[Starter]) -> None:
    """Write a row a starter."""
    rows = [
        (
            str(number),
            one.name,
            shown_size(one.download_bytes) if one.download_bytes else "nothing",
            shown_size(one.disk_bytes) if one.disk_bytes else "little",
            ", ".join(f"{name} ({kind})" for name, kind in one.starts),
            one.summary,
        )
        for number, one in enumerate(found, 1)
    ]
    print_table(screen, ("", "starter", "download", "disk", "to start", "what it brings"), rows)


def choose_starter(found: Sequence[Starter]) -> tuple[str, str, tuple[str, ...]]:
    """Ask a person at a terminal which one, by number or name, what to call the outfit, and which packages it needs besides;
    raises Abort where they leave.
    """
    names = [one.name for one in found]
    known = {str(number): name for number, name in enumerate(names, 1)} | {name: name for name in names}
    said: str = click.prompt(
        "Which one? Its number or name", type=click.Choice(list(known)), show_choices=False, err=True
    )
    starter = known[said]
    called: str = click.prompt("What is the study called?", default=starter, err=True)
    more: str = click.prompt("Packages that it needs besides", default="", show_default=False, err=True)
    return starter, called, tuple(more.replace(",", " ").split())
