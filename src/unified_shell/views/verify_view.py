"""What verification found: faults whole and first, then what was not tried, then a line a target."""

from __future__ import annotations

import re
from collections import Counter
from typing import TYPE_CHECKING

from unified_shell.core.findings import Verdict
from unified_shell.core.next_steps import ush

from .next_step_text import next_step_text
from .plan_view import print_findings
from .terminal.tables import heading, print_rows, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.findings import Finding
    from unified_shell.core.verification.verifying import Verified

    from .terminal.screen import Screen

__all__ = ["count_text", "faults_alike", "print_checks", "print_verification"]

# What is alike is summed up after so many.
MOST_NOT_TRIED = 12
SESSION = re.compile(r"a new (login|interactive) \w+")


def print_verification(
    screen: Screen, found: Sequence[Verified], *, names: Sequence[str] = (), in_full: bool = False
) -> None:
    """Write what was found of the targets that were typed as `names`; with `in_full` every check."""
    if not found:
        screen.result("Nothing is wired, installed or made yet, so there is nothing to verify.")
        screen.next((ush("path", "add", "DIRECTORY"), "or", ush("environment", "new", "study")))
        return
    if in_full:
        for one in found:
            heading(screen, one.target.title(screen.home))
            print_findings(screen, sorted(one.findings, key=_order))
        screen.result("")
    else:
        _print_faults(screen, found)
        _print_not_tried(screen, found)
        if any(one.count(Verdict.PASSED) < len(one.findings) for one in found):
            screen.result("")
        _print_targets(screen, found)
    screen.result(f"{count_text([finding for one in found for finding in one.findings])}.")
    if any(fault.mend is not None for one in found for fault in one.faults):
        screen.next(ush("verify", *names, "--mend", "--plan", why="shows what can be mended without a decision"))


def count_text(findings: Sequence[Finding]) -> str:
    """Return the result in one line: `12 checks: all passed`, or how many ended in which way."""
    counts = Counter(one.verdict for one in findings)
    total = len(findings)
    checks = f"{total} check{'' if total == 1 else 's'}"
    if not total:
        return "Nothing was checked"
    if counts[Verdict.PASSED] == total:
        return f"{checks}: all passed"
    parts = [
        (counts[Verdict.FAULT], "at fault"),
        (counts[Verdict.NOT_TRIED], "not tried"),
        (counts[Verdict.PASSED], "passed"),
    ]
    return f"{checks}: {', '.join(f'{count} {word}' for count, word in parts if count)}"


def print_checks(screen: Screen, *, as_json: bool = False) -> None:
    """Write the table of checks."""
    from unified_shell.core.verification.checks.table import CHECKS

    from .json_view import json_text

    if as_json:
        rows = [{"name": c.name, "kind": c.kind, "asks": c.asks, "cost": c.cost} for c in CHECKS]
        screen.result(json_text("checks", rows))
        return
    print_table(
        screen, ("check", "of", "asks", "cost"), [(c.name, c.kind.value, c.asks, c.cost.value) for c in CHECKS]
    )


def _order(one: Finding) -> int:
    return (Verdict.FAULT, Verdict.NOT_TRIED, Verdict.PASSED).index(one.verdict)


def _print_faults(screen: Screen, found: Sequence[Verified]) -> None:
    for one in found:
        if not one.faults:
            continue
        title = one.target.title(screen.home)
        heading(screen, f"{title}:")
        for fault, also in faults_alike(one.faults):
            subject = "" if fault.subject in title else f"{fault.subject}: "
            print_rows(screen, [("FAULT", f"{subject}{fault.answer}")])
            more = f", and {also} more like it" if also else ""
            details = [("checked:", f"{fault.question}{more}")]
            if fault.remedy:
                details.append(("type:", next_step_text(fault.remedy, screen.home)))
            print_rows(screen, details, indent=9)


def faults_alike(faults: Sequence[Finding]) -> list[tuple[Finding, int]]:
    """Return the faults without those that say the same of another session, with how many those are."""
    kept: dict[tuple[str, str, str], tuple[Finding, int]] = {}
    for one in faults:
        # What follows the name of a session is the same for all that have the same cause.
        key = (one.subject, one.cause.value, SESSION.sub("a new session", one.answer))
        first, count = kept.get(key, (one, -1))
        kept[key] = (first, count + 1)
    return list(kept.values())


def _print_not_tried(screen: Screen, found: Sequence[Verified]) -> None:
    left = [(one, finding) for one in found for finding in one.findings if finding.verdict is Verdict.NOT_TRIED]
    if not left:
        return
    heading(screen, "Not tried")
    rows = [
        (f"{finding.subject}: {finding.question}", finding.answer, next_step_text(finding.remedy, screen.home))
        for _, finding in left
    ]
    print_rows(screen, rows[:MOST_NOT_TRIED])
    if len(rows) > MOST_NOT_TRIED:
        screen.result(f"  and {len(rows) - MOST_NOT_TRIED} more, with --all")


def _print_targets(screen: Screen, found: Sequence[Verified]) -> None:
    rows = []
    for one in found:
        seconds = sum(each.elapsed_seconds for each in one.findings)
        took = f"{seconds:.1f} s" if seconds >= 1 else ""
        rows.append(
            (one.target.title(screen.home), count_text(one.findings).partition(": ")[2] or "nothing to check", took)
        )
    print_rows(screen, rows)
