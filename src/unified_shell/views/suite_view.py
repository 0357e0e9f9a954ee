"""Suites: those that are here and offered, and one of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import ush

from .terminal.tables import heading, print_rows, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.suites.managed_suites import ManagedSuite
    from unified_shell.core.suites.suite_list import SuiteRow

    from .terminal.screen import Screen

__all__ = ["print_suite", "print_suites"]


def print_suites(screen: Screen, rows: Sequence[SuiteRow], *, asked: str = "") -> None:
    """Write a row a suite; `asked` is what they were to match."""
    if not rows and asked:
        screen.result(f"No suite matches {asked!r}, here or in a catalog.")
        screen.next(ush("suite", "list"))
        return
    if not rows:
        screen.result("No suite is here, and no catalog offers one.")
        screen.next(ush("catalog", "add", "NAME", "ADDRESS"))
        return
    print_table(
        screen,
        ("suite", "version", "state", "form", "download", "licence", "category", "what it is"),
        [
            (
                one.name,
                one.version,
                one.state,
                ", ".join(one.forms),
                shown_size(one.size_bytes) if one.size_bytes else "",
                one.licence,
                ", ".join(one.categories),
                one.summary,
            )
            for one in rows
        ],
    )
    offered = next((one.name for one in rows if one.state != "here"), "")
    if offered:
        screen.next(ush("suite", "get", offered))


def print_suite(screen: Screen, one: ManagedSuite, commands: Sequence[str], wired: Sequence[str], home: str) -> None:
    """Write what is known of a suite."""
    described = one.description
    heading(screen, f"{one.name}: {described.summary}")
    folders = (*one.offered.front, *one.offered.back)
    print_rows(
        screen,
        [
            ("where", shown(one.prefix, home)),
            ("form", one.form),
            ("from", one.origin),
            ("SHA-256", one.sha256),
            ("licence", described.licence),
            *(
                (name, f"{shown(folder, home)}{'' if folder in wired else '   (not wired)'}")
                for name, folder in folders
            ),
            *((name, shown(value, home)) for name, value in one.offered.values),
            ("commands", ", ".join(commands) or "none"),
        ],
    )
