"""Entries of PATH that a person's own lines put there in new sessions, and dropping them."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from msgspec import Struct

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, Prepared, plan_line
from unified_shell.core.errors import Refused
from unified_shell.core.findings import Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, shown
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.shell_programs import find_program
from unified_shell.core.shells.startup.hookup import SESSIONS_NOTE
from unified_shell.core.shells.tracing.path_report import EntryReport, report_path

from .own_lines import OwnLine, edit_line, line_steps, own_line, text_of_line
from .session_checks import Proof

if TYPE_CHECKING:
    from unified_shell.core.changes.steps import Step

__all__ = ["plan_drop_handwritten"]


class _Found(Struct, frozen=True, kw_only=True):
    """An entry as new sessions of a shell have it."""

    entry: EntryReport
    dialect: Dialect


def plan_drop_handwritten(place: Place, shells: Sequence[Dialect], host: Host, locations: Locations) -> Change | None:
    """Plan to comment out the lines that put a directory on PATH; None where no startup file puts it there.

    Raises Refused where a line does more than that; the line is shown.
    """
    found = _find(place, shells, host, locations)
    if not found:
        return None
    lines: list[OwnLine] = []
    for one in found:
        line = own_line(one.entry, one.dialect, host)
        if line is None:
            raise _refused(one.entry, host)
        if all((line.file, line.number) != (each.file, each.number) for each in lines):
            lines.append(line)
    steps: tuple[Step, ...] = line_steps(lines, host)
    name = shown(place, host.home)
    plan = Plan(
        aim=f"Remove {name} from PATH in new sessions",
        lines=(
            plan_line(LineKind.REMOVE, About.ENTRY, variable="PATH", directory=place, by_hand=True),
            SESSIONS_NOTE,
            *(edit_line(file, lines, host) for file in dict.fromkeys(line.file for line in lines)),
        ),
        afterwards=("New sessions no longer have it; open sessions keep it.",),
    )

    def prepare(_staging: Place) -> Prepared:
        modes = [(dialect, mode) for dialect in shells for mode in Mode]
        proof = Proof(modes, host, [(line.file, line.dialect) for line in lines])

        def verify() -> tuple[Finding, ...]:
            return proof.findings("PATH", [], unwanted=[place])

        return Prepared(steps=steps, verify=verify)

    return Change(plan=plan, prepare=prepare)


def _find(place: Place, shells: Sequence[Dialect], host: Host, locations: Locations) -> list[_Found]:
    return [
        _Found(entry=entry, dialect=dialect)
        for dialect in shells
        if find_program(dialect, host) is not None
        for mode in Mode
        for entry in report_path(dialect, mode, host, locations).entries
        if entry.directory.rstrip("/") == place.rstrip("/") and entry.source == "startup file"
    ]


def _refused(entry: EntryReport, host: Host) -> Refused:
    where = shown(entry.file, host.home) + (f", line {entry.line}" if entry.line else "")
    text = text_of_line(entry).strip()
    said = f": {text[:120]}" if text else ""
    return Refused(
        f"{where} puts {shown(entry.directory, host.home)} on PATH, and does more{said}",
        next_step=(f"edit {shown(entry.file, host.home)} by hand, or type", ush("shell", "wire", "--at-end")),
    )
