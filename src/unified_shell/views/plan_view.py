"""Plans, outcomes and findings, as a person reads them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from unified_shell.core.changes.plan import LineKind
from unified_shell.core.findings import Verdict
from unified_shell.core.next_steps import Labelled, ush

from .next_step_text import next_step_text
from .plan_sentences import sentence_of
from .terminal.tables import heading, print_rows, print_table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unified_shell.core.changes.plan import Outcome, Plan, PlanLine
    from unified_shell.core.findings import Finding
    from unified_shell.core.next_steps import Afterward

    from .terminal.screen import Screen

__all__ = ["print_afterwards", "print_findings", "print_outcome", "print_plan"]

VERDICTS = {Verdict.PASSED: "passed", Verdict.FAULT: "FAULT", Verdict.NOT_TRIED: "not tried"}
WORDS = {
    LineKind.ADD: "add",
    LineKind.CHANGE: "change",
    LineKind.ANSWER: "change",
    LineKind.STAYS: "note",
    LineKind.REMOVE: "remove",
    LineKind.KEEP: "keep",
    LineKind.DOWNLOAD: "fetch",
    LineKind.EDIT: "edit",
    LineKind.NOTE: "note",
    LineKind.WARNING: "warning",
}


def print_plan(screen: Screen, plan: Plan, *, in_full: bool = False) -> None:
    """Write a plan: what is added, changed and taken away, then each edit with its lines.

    With `in_full`, what other lines sum up is written below them.
    """
    heading(screen, f"Plan: {plan.aim}")
    told = [(line, *sentence_of(line, screen.home)) for line in plan.lines]
    # What has nothing to be said of it would push the others' remarks far to the right.
    bare = (LineKind.NOTE, LineKind.STAYS, LineKind.WARNING)
    # Several tables, one margin: the first words are as wide in all.
    wide = max((len(WORDS[line.kind]) for line in plan.lines), default=0)
    rows = [
        (WORDS[line.kind].ljust(wide), subject, detail)
        for line, subject, detail in told
        if line.kind is not LineKind.EDIT and (detail or line.kind not in bare)
    ]
    print_rows(screen, rows)
    print_rows(
        screen,
        [
            (WORDS[line.kind].ljust(wide), subject)
            for line, subject, detail in told
            if line.kind in bare and not detail
        ],
    )
    for line, subject, detail in told if in_full else ():
        items = _in_full(line, screen.home)
        if items and ", ".join(items) not in f"{subject} {detail}":
            heading(screen, f"{subject[:1].upper()}{subject[1:]}, in full:")
            print_rows(screen, [("", one) for one in items])
    for line, subject, _ in told:
        if line.kind is LineKind.EDIT:
            diff = line.fields.get("diff", ())
            shown = [("", f"  {one}") for one in diff] if isinstance(diff, tuple) else []
            print_rows(screen, [(WORDS[line.kind].ljust(wide), subject), *shown])


def _in_full(line: PlanLine, home: str) -> tuple[str, ...]:
    """Return what a line sums up, or the lines that it stands for."""
    lines = tuple("   ".join(filter(None, sentence_of(one, home))) for one in line.lines)
    return line.in_full or lines


def print_outcome(
    screen: Screen, outcome: Outcome, afterwards: Sequence[Afterward], *, is_undo: bool, scope: str
) -> None:
    """Write what came of a change: its number, what does not hold, what comes next."""
    faults = outcome.faults
    total = sum(1 for one in outcome.findings if one.verdict is not Verdict.NOT_TRIED)
    checked = f"; {total - len(faults)} of {total} checks passed" if total else ""
    number = (str(outcome.number),) if is_undo else ()
    undo = ush("undo", *number, *(() if scope == "me" else ("--for", scope)))
    heading(screen, f"Done, as change {outcome.number}{checked}.")
    if faults:
        print_findings(screen, faults)
    print_afterwards(screen, afterwards)
    screen.next(undo, label="  Undo" if not is_undo else "  Redo")


def print_afterwards(screen: Screen, afterwards: Sequence[Afterward]) -> None:
    """Write what can be done now; labels stand below each other."""
    wide = max((len(one.label) + 1 for one in afterwards if isinstance(one, Labelled)), default=0)
    for one in afterwards:
        if isinstance(one, Labelled):
            screen.result(f"  {f'{one.label}:':{wide}} {next_step_text(one.step, screen.home)}")
        else:
            screen.result(f"  {one}")


def print_findings(screen: Screen, findings: Sequence[Finding]) -> None:
    """Write findings as a table, faults with their remedies below them."""
    rows: list[tuple[str, str, str, str, str]] = []
    for one in findings:
        seconds = f"{one.elapsed_seconds:.1f} s" if one.elapsed_seconds >= 0.05 else ""
        rows.append((VERDICTS[one.verdict], one.subject, one.question, one.answer, seconds))
        if one.remedy:
            rows.append(("", "", "", f"type: {next_step_text(one.remedy, screen.home)}", ""))
    header = ("", "what", "checked", "found", "took")
    took = any(row[-1] for row in rows)
    print_table(screen, header if took else header[:-1], rows if took else [row[:-1] for row in rows])
