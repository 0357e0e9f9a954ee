"""A person's own line in a startup file that puts a directory on a search path, and commenting it out.

Only where it is sure what the line does: one line, traced to the entry, that names this directory and assigns nothing else.
"""

import os
import re
import tempfile
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, in_home, inside
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables
from unified_shell.core.shells.tracing.path_report import EntryReport

__all__ = ["OwnLine", "edit_line", "line_steps", "own_line", "text_of_line"]

OFF = "#(ush off) "
# Where the line stands alone in a branch, the branch must not be left empty: this does nothing, in all dialects.
NOTHING = ": "
WHOLE = ("$PATH", "${PATH}", "$path", "$path:q")
# One assignment, by itself on its line, in any of the dialects; what it assigns is looked at apart.
ASSIGNMENT = re.compile(
    r"^\s*(?:export\s+)?PATH=(?P<posix>[^;&|`()]*)(?:;\s*export\s+PATH)?\s*;?\s*$"
    r"|^\s*(?:set\s+-gx\s+PATH|fish_add_path(?:\s+-\S+)*)\s+(?P<fish>[^;&|`()]+)$"
    r"|^\s*setenv\s+PATH\s+(?P<csh>[^;&|`()]+)$"
    r"|^\s*set\s+path\s*=\s*\((?P<list>[^;&|`()]+)\)\s*$"
)


class OwnLine(Struct, frozen=True, kw_only=True):
    """A line to comment out: file (where links lead), number from 1, the entry it puts on PATH, and whether it puts it
    in front of what was there.
    """

    file: Place
    number: int
    entry: Place
    dialect: Dialect
    in_front: bool


def own_line(entry: EntryReport, dialect: Dialect, host: Host) -> OwnLine | None:
    """Return the line that puts an entry on PATH, where it is a person's own and does nothing else; else None."""
    if entry.source != "startup file" or not entry.line or not inside(entry.file, host.home):
        return None
    text = text_of_line(entry)
    match = ASSIGNMENT.match(text.rstrip("\r"))
    if match is None or text.rstrip().endswith("\\"):
        return None
    value = next(part for part in match.groups() if part is not None)
    parts = [part.strip("\"' ") for part in re.split(r"[:\s]+", value.strip("\"' ")) if part.strip("\"' ")]
    own = [part for part in parts if _names(part, entry.directory, host.home)]
    if not own or not all(part in WHOLE for part in parts if part not in own):
        return None
    return OwnLine(
        file=Place(os.path.realpath(entry.file)),
        number=entry.line,
        entry=entry.directory,
        dialect=dialect,
        in_front=parts[0] not in WHOLE,
    )


def text_of_line(entry: EntryReport) -> str:
    """Return the line that an entry was traced to, as it stands in its file; empty where there is none."""
    found = read_file(os.path.realpath(entry.file))
    lines = (b"" if found is None else found[0]).decode("utf-8", "surrogateescape").split("\n")
    return lines[entry.line - 1] if 0 < entry.line <= len(lines) else ""


def line_steps(lines: Sequence[OwnLine], host: Host) -> tuple[ReplaceFile, ...]:
    """Return the steps that comment these lines out, a step a file."""
    steps = []
    for file in dict.fromkeys(one.file for one in lines):
        content = (read_file(file) or (b"",))[0]
        after = _without(content, [one for one in lines if one.file == file], host)
        steps.append(ReplaceFile(path=file, before=kept_bytes(content), after=kept_bytes(after)))
    return tuple(steps)


def edit_line(file: Place, lines: Sequence[OwnLine], host: Host) -> PlanLine:
    """Return the plan's line for the edits of one file."""
    content = (read_file(file) or (b"",))[0]
    before = content.decode("utf-8", "replace").split("\n")
    of_file = [one for one in lines if one.file == file]
    after = _without(content, of_file, host).decode("utf-8", "replace").split("\n")
    diff = tuple(
        f"{sign} line {one.number}: {text[one.number - 1]}"
        for one in of_file
        for sign, text in (("-", before), ("+", after))
    )
    return plan_line(LineKind.EDIT, About.LINES_COMMENTED, file=file, diff=diff)


def _without(content: bytes, lines: Sequence[OwnLine], host: Host) -> bytes:
    """Return a file with these lines commented out; one that its branch needs becomes a statement that does nothing."""
    split = content.split(b"\n")
    for one in lines:
        plain = list(split)
        plain[one.number - 1] = OFF.encode() + split[one.number - 1]
        if not _is_right(b"\n".join(plain), one.dialect, host):
            plain[one.number - 1] = NOTHING.encode() + plain[one.number - 1]
        split = plain
    return b"\n".join(split)


def _is_right(content: bytes, dialect: Dialect, host: Host) -> bool:
    program = find_program(dialect, host)
    with tempfile.NamedTemporaryFile(prefix="ush-syntax-") as file:
        words = dialect.syntax_check(file.name)
        if program is None or not words:
            return True
        file.write(content)
        file.flush()
        ran = run_program((program, *words), environment=fresh_variables(host, program), timeout_seconds=10)
    return ran.returncode == 0


def _names(part: str, directory: str, home: str) -> bool:
    below = in_home(directory, home)
    spelled = [directory] + ([f"~/{below}", f"$HOME/{below}", f"${{HOME}}/{below}"] if below else [])
    return part.strip("\"'") in spelled
