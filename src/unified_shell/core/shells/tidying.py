"""Proposing what to do about dead and doubled entries of PATH, wherever they come from.

An entry of the wiring is dropped there. A person's own line is commented out, and only where it is sure what
it does: one line, traced to the entry, that names this directory and assigns nothing else.
"""

import os
import re
from collections.abc import Sequence
from dataclasses import dataclass

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.plan import Change, LineKind, Plan, PlanLine
from unified_shell.core.changes.steps import DropRecord, ReplaceFile, Step
from unified_shell.core.findings import Finding
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, in_home, inside, shown

from .dialects.dialect import Dialect, Mode
from .path_faults import FaultKind
from .path_report import EntryReport, report_path
from .proofs import Proof
from .session_files import session_file_steps
from .wiring import read_wiring, wiring_file

__all__ = ["plan_tidy"]

OFF = "#(ush off) "
WHOLE = ("$PATH", "${PATH}", "$path", "$path:q")
# One assignment, by itself on its line, in any of the dialects; what it assigns is looked at apart.
ASSIGNMENT = re.compile(
    r"^\s*(?:export\s+)?PATH=(?P<posix>[^;&|`()]*)(?:;\s*export\s+PATH)?\s*;?\s*$"
    r"|^\s*(?:set\s+-gx\s+PATH|fish_add_path(?:\s+-\S+)*)\s+(?P<fish>[^;&|`()]+)$"
    r"|^\s*setenv\s+PATH\s+(?P<csh>[^;&|`()]+)$"
    r"|^\s*set\s+path\s*=\s*\((?P<list>[^;&|`()]+)\)\s*$"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Line:
    """A line to comment out: file (where links lead), number from 1, and the entry it puts on PATH."""

    file: Place
    number: int
    entry: str
    dialect: Dialect


def plan_tidy(dialects: Sequence[Dialect], host: Host, locations: Locations) -> Change:
    """Plan to take dead and doubled entries off PATH; opens and traces new sessions to see who put them there."""
    dead: dict[str, tuple[EntryReport, Dialect]] = {}
    for dialect in dialects:
        for mode in Mode:
            for one in report_path(dialect, mode, host, locations).entries:
                if one.fault in (FaultKind.MISSING.value, FaultKind.DUPLICATE.value, FaultKind.LITERAL_TILDE.value):
                    dead.setdefault(f"{one.directory}\0{one.file}\0{one.line}", (one, dialect))
    before = read_wiring(locations)
    after, lines, edits, left = before, [], list[_Line](), list[EntryReport]()
    for wired in before.entries:
        if wired.variable == "PATH" and not os.path.isdir(wired.directory):
            after = after.without_entry("PATH", wired.directory)
            lines.append(_removal(wired.directory, "it is not there", "the wiring", host))
    for one, dialect in dead.values():
        edit = _editable(one, dialect, host)
        if edit is not None and all((edit.file, edit.number) != (each.file, each.number) for each in edits):
            edits.append(edit)
        elif one.source == "startup file" and edit is None:
            left.append(one)
    steps: tuple[Step, ...] = (
        *(
            DropRecord(path=wiring_file(locations), keys=one.keys, before=one.value_text)
            for one in before.entries
            if one not in after.entries
        ),
        *(session_file_steps(after, locations, host.home) if after != before else ()),
        *_file_steps(edits),
    )
    plan = Plan(
        words="path tidy",
        aim="Take dead and doubled entries off PATH",
        lines=(
            *lines,
            *(_left_line(one, host) for one in left),
            *(_edit_line(file, edits, host) for file in dict.fromkeys(one.file for one in edits)),
        ),
        nothing_to_do="" if steps else _nothing(left, host),
        afterwards=("New sessions follow it. A line that was put off begins with #(ush off).",),
    )
    proofs: list[Proof] = []

    def prepare(_staging: Place) -> tuple[Step, ...]:
        proofs.append(
            Proof(
                [(one, mode) for one in dialects for mode in Mode], host, [(one.file, one.dialect) for one in edits]
            )
        )
        return steps

    def verify() -> tuple[Finding, ...]:
        gone = [one.directory for one, _ in dead.values() if not os.path.isdir(one.directory)]
        sure = {one.entry for one in edits} | {one.directory for one in before.entries if one not in after.entries}
        return proofs[-1].findings("PATH", [], unwanted=[one for one in gone if one in sure])

    return Change(plan=plan, prepare=prepare, verify=verify)


def _editable(one: EntryReport, dialect: Dialect, host: Host) -> _Line | None:
    """Return the line that can be put off, where it is a person's own and does nothing but add this entry."""
    if one.source != "startup file" or not one.line or not inside(one.file, host.home):
        return None
    real = Place(os.path.realpath(one.file))
    content = read_file(real)
    if content is None:
        return None
    lines = content[0].decode("utf-8", "surrogateescape").split("\n")
    text = lines[one.line - 1] if one.line <= len(lines) else ""
    match = ASSIGNMENT.match(text.rstrip("\r"))
    if match is None or text.rstrip().endswith("\\"):
        return None
    value = next(part for part in match.groups() if part is not None)
    parts = [part.strip("\"' ") for part in re.split(r"[:\s]+", value.strip("\"' ")) if part.strip("\"' ")]
    rest = [part for part in parts if not _names(part, one.directory, host.home)]
    own = [part for part in parts if _names(part, one.directory, host.home)]
    plain = all(part in WHOLE for part in rest)
    # A line that puts a doubled entry in front decides the order: without it another command would answer.
    decides = one.fault == FaultKind.DUPLICATE.value and parts[0] not in WHOLE
    line = _Line(file=real, number=one.line, entry=one.directory, dialect=dialect)
    return line if own and plain and not decides else None


def _names(part: str, directory: str, home: str) -> bool:
    below = in_home(directory, home)
    spelled = [directory] + ([f"~/{below}", f"$HOME/{below}", f"${{HOME}}/{below}"] if below else [])
    return part.strip("\"'") in spelled


def _file_steps(edits: Sequence[_Line]) -> tuple[ReplaceFile, ...]:
    steps = []
    for file in dict.fromkeys(one.file for one in edits):
        content = (read_file(file) or (b"",))[0]
        lines = content.split(b"\n")
        for one in edits:
            if one.file == file:
                lines[one.number - 1] = OFF.encode() + lines[one.number - 1]
        steps.append(ReplaceFile(path=file, before=kept_bytes(content), after=kept_bytes(b"\n".join(lines))))
    return tuple(steps)


def _edit_line(file: Place, edits: Sequence[_Line], host: Host) -> PlanLine:
    lines = (read_file(file) or (b"",))[0].decode("utf-8", "replace").split("\n")
    detail = ""
    for one in edits:
        if one.file == file:
            text = lines[one.number - 1]
            detail += f"- line {one.number}: {text}\n+ line {one.number}: {OFF}{text}\n"
    return PlanLine(kind=LineKind.EDIT, subject=f"{shown(file, host.home)}: lines are put off", detail=detail)


def _removal(directory: str, why: str, source: str, host: Host) -> PlanLine:
    return PlanLine(
        kind=LineKind.REMOVE, subject=f"PATH: {shown(directory, host.home)}", detail=f"{why}; from {source}"
    )


def _left_line(one: EntryReport, host: Host) -> PlanLine:
    where = f"{shown(one.file, host.home)}, line {one.line}" if one.line else shown(one.file, host.home)
    return PlanLine(
        kind=LineKind.NOTE, subject=f"{shown(one.directory, host.home)} {one.fault}", detail=f"left: see {where}"
    )


def _nothing(left: Sequence[EntryReport], host: Host) -> str:
    if not left:
        return "PATH has no dead and no doubled entry that a startup file of yours puts there"
    places = ", ".join(f"{shown(one.file, host.home)}{f' line {one.line}' if one.line else ''}" for one in left[:3])
    return f"what is left cannot be put off line by line; look at {places}"
