"""What verification found, a table for each target and one line at the end."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.next_steps import ush

from .plan_view import print_findings
from .tables import heading

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.findings import Finding

    from .screen import Screen

__all__ = ["print_verification"]


def print_verification(screen: Screen, results: Sequence[tuple[str, tuple[Finding, ...]]]) -> None:
    """Write all findings, faults first within each target."""
    total = faults = 0
    for target, found in results:
        heading(screen, target)
        ordered = sorted(found, key=lambda one: one.passed)
        if ordered:
            print_findings(screen, ordered)
        else:
            screen.result("  nothing to check yet")
            screen.next((ush("path", "add", "DIRECTORY"), "or", ush("environment", "new", "study")))
        total += len(found)
        faults += sum(1 for one in found if not one.passed)
    if not total:
        screen.result("\nNothing was checked.")
        return
    screen.result(
        f"\n{total} check{'' if total == 1 else 's'}: {'all passed' if not faults else f'{faults} at fault'}."
    )
