"""Suites: those that are here and offered, one of them, and what its trial made."""

from __future__ import annotations

import csv
import os
from typing import TYPE_CHECKING

from unified_shell.core.machine.files.disks import shown_size
from unified_shell.core.machine.places import join, shown
from unified_shell.core.next_steps import ush
from unified_shell.core.suites.suite_wiring import filled

from .plan_view import print_findings
from .reports.trial_plot import plot_table
from .tables import heading, print_rows, print_table
from .verify_view import count_text

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.suites.managed_suites import ManagedSuite
    from unified_shell.core.suites.suite_list import SuiteRow
    from unified_shell.core.suites.suite_trial import TrialRun

    from .screen import Screen

__all__ = ["print_suite", "print_suites", "print_trial"]

# The beginning of a table is enough to see what it is.
MOST_ROWS = 5


def print_suites(screen: Screen, rows: Sequence[SuiteRow]) -> None:
    """Write a row a suite."""
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
    folders = [(name, join(one.prefix, folder)) for name, folder in described.offers.search_paths]
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
            *((name, shown(filled(value, one.prefix), home)) for name, value in described.offers.variables),
            ("commands", ", ".join(commands) or "none"),
        ],
    )
    screen.next(ush("suite", "try", one.name) if described.trial is not None else ush("verify", f"suite:{one.name}"))


def print_trial(screen: Screen, suite: ManagedSuite, run: TrialRun, home: str) -> None:
    """Write what was found, how long it took, and the beginning of each table that was made."""
    print_findings(screen, run.findings)
    screen.result("")
    took = [f"{count} process{'es' if count > 1 else ''}: {seconds:.1f} s" for count, seconds in run.seconds]
    screen.result(f"{count_text(run.findings)}. {'; '.join(took)}.")
    trial = suite.description.trial
    for expected in trial.makes if trial is not None else ():
        path = join(run.folder, expected.file)
        if path.endswith((".csv", ".tsv")) and os.path.isfile(path):
            heading(screen, f"{shown(path, home)}, its first rows:")
            with open(path, newline="", encoding="utf-8", errors="replace") as file:
                rows = [row for _, row in zip(range(MOST_ROWS + 1), csv.reader(file), strict=False)]
            print_table(screen, rows[0] if rows else (), rows[1:], indent=2)
            if picture := plot_table(path):
                screen.result(f"Plot: {shown(picture, home)}")
    screen.result(f"Results: {shown(run.folder, home)}")
