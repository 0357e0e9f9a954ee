"""Proposing what to do about dead and doubled entries of PATH, wherever they come from.

An entry of the wiring is dropped there. A person's own line is commented out, and only where it is sure what it does.
"""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, Prepared, plan_line
from unified_shell.core.changes.steps import DropRecord, Step
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.path_faults import FaultKind
from unified_shell.core.shells.tracing.path_report import EntryReport, report_path
from unified_shell.core.shells.wiring.session_files import altered_session_lines, session_file_steps
from unified_shell.core.shells.wiring.wiring import read_wiring, wiring_file

from .own_lines import OwnLine, edit_line, line_steps, own_line
from .session_checks import Proof

__all__ = ["plan_tidy"]

FAULTS = (FaultKind.MISSING.value, FaultKind.DUPLICATE.value, FaultKind.LITERAL_TILDE.value)


def plan_tidy(dialects: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to take dead and doubled entries off PATH; opens and traces new sessions to see who put them there."""
    found = _found(dialects, host, locations)
    before = read_wiring(locations)
    gone = [one for one in before.entries if one.variable == "PATH" and not os.path.isdir(one.directory)]
    after = before
    for one in gone:
        after = after.without_entry("PATH", one.directory)
    steps: tuple[Step, ...] = (
        *(DropRecord(path=wiring_file(locations), keys=one.keys, before=one.value_text) for one in gone),
        *(session_file_steps(after, locations, host.home) if gone else ()),
        *line_steps(found.edits, host),
    )
    plan = Plan(
        aim="Remove dead and duplicate entries from PATH",
        lines=(
            *(_removal(one.directory, "it is not there", "the wiring") for one in gone),
            *(altered_session_lines(before, locations, host.home) if gone else ()),
            *(_left_line(one) for one in found.left),
            *(edit_line(file, found.edits, host) for file in dict.fromkeys(one.file for one in found.edits)),
        ),
        nothing_to_do="" if steps else _nothing(found.left, host),
        afterwards=(
            "From now on, new sessions are without them. A line that was commented out begins with #(ush off).",
        )
        if steps
        else (),
    )

    def prepare(_staging: Place) -> Prepared:
        modes = [(one, mode) for one in dialects for mode in Mode]
        proof = Proof(modes, host, [(one.file, one.dialect) for one in found.edits])

        def verify() -> tuple[Finding, ...]:
            sure = {one.entry for one in found.edits} | {one.directory for one in gone}
            unwanted = [one for one in found.directories if one in sure and not os.path.isdir(one)]
            return proof.findings("PATH", [], unwanted=unwanted)

        return Prepared(steps=steps, verify=verify)

    return Change(plan=plan, prepare=prepare)


class _Found(Struct, frozen=True, kw_only=True):
    """Dead and duplicate entries of new sessions: the lines to comment out, those that are left, all their directories."""

    edits: tuple[OwnLine, ...]
    left: tuple[EntryReport, ...]
    directories: tuple[str, ...]


def _found(dialects: Sequence[Dialect], host: Host, locations: Locations) -> _Found:
    dead: dict[str, tuple[EntryReport, Dialect]] = {}
    needed: set[tuple[str, int]] = set()
    for dialect in dialects:
        for mode in Mode:
            for one in report_path(dialect, mode, host, locations).entries:
                if one.fault in FAULTS:
                    dead.setdefault(f"{one.directory}\0{one.file}\0{one.line}", (one, dialect))
                else:
                    needed.add((one.file, one.line))
    edits: dict[tuple[str, int], OwnLine] = {}
    left: list[EntryReport] = []
    for one, dialect in dead.values():
        # What is a duplicate in one kind of session may be the only one in another.
        edit = None if (one.file, one.line) in needed else own_line(one, dialect, host)
        if edit is not None:
            edits.setdefault((edit.file, edit.number), edit)
        elif one.source == "startup file":
            left.append(one)
    directories = tuple(str(one.directory) for one, _ in dead.values())
    return _Found(edits=tuple(edits.values()), left=tuple(left), directories=directories)


def _removal(directory: str, why: str, source: str) -> PlanLine:
    return plan_line(LineKind.REMOVE, About.ENTRY, variable="PATH", directory=directory, why=why, source=source)


def _left_line(one: EntryReport) -> PlanLine:
    return plan_line(
        LineKind.NOTE, About.ENTRY_FAULT, directory=one.directory, fault=one.fault, file=one.file, line=one.line or ""
    )


def _nothing(left: Sequence[EntryReport], host: Host) -> str:
    if not left:
        return "no startup file of yours puts a dead or duplicate entry on PATH"
    places = ", ".join(f"{shown(one.file, host.home)}{f' line {one.line}' if one.line else ''}" for one in left[:3])
    return f"the rest cannot be commented out line by line; look at {places}"
