"""Who put an entry on PATH: each startup file is run with a trace that shows PATH beside every command.

Established by trying: bash, zsh and mksh expand the trace's prefix before a command runs, so a change shows
in the record after it; dash and ksh show a plain assignment after it was made. Records of subshells do not
count. What a shell does not tell (dash has no line numbers, ksh's drift) is left at 0.
"""

import os
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, in_home
from unified_shell.core.machine.processes import run_program

from .dialects.dialect import Dialect, Mode
from .path_helper import listed_in
from .sessions import find_program, fresh_variables
from .startup_files import read_startup_states
from .trace_recipes import RECIPES, Recipe, TraceJob
from .trace_records import Record, parse_csh, parse_fish, parse_prefixed

__all__ = ["PathTrace", "TracedEntry", "attribute", "trace_path"]

TIMEOUT_SECONDS = 15.0
PARSERS: dict[str, Callable[[str], list[Record]]] = {
    "prefixed": parse_prefixed,
    "fish": parse_fish,
    "csh": parse_csh,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class TracedEntry:
    """An entry of PATH and what put it there: file (empty: inherited), line (0: not known), the command."""

    directory: Place
    file: Place
    line: int
    command: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PathTrace:
    """The entries of a new session in order. `lost`: PATH changed again where no trace saw it."""

    entries: tuple[TracedEntry, ...]
    lost: bool = False
    trouble: str = ""


def trace_path(dialect: Dialect, mode: Mode, host: Host, final: Sequence[str]) -> PathTrace:
    """Trace a new session's startup files and say for each entry of `final`, its PATH, where it came from."""
    program = find_program(dialect, host)
    recipe = RECIPES.get(dialect.name)
    if program is None or recipe is None:
        return PathTrace(entries=_unknown(final), trouble=f"{dialect.name} cannot be traced here")
    with tempfile.TemporaryDirectory(prefix="ush-trace-") as folder:
        files = [one.path for one in read_startup_states(dialect, host) if one.mode is mode and one.is_read]
        base = fresh_variables(host, program)
        job = TraceJob(folder=folder, program=program, mode=mode, files=tuple(files), home=host.home, variables=base)
        records = _run(recipe, job, host)
    if not records:
        return PathTrace(entries=_unknown(final), trouble="the startup files could not be traced")
    found = attribute(records, final, base["PATH"].split(":"), shown_after=recipe.shown_after)
    entries = tuple(_with_line(one, host) for one in found)
    return PathTrace(entries=entries, lost=":".join(final) != records[-1].path)


def attribute(
    records: Sequence[Record], final: Sequence[str], inherited: Sequence[str], *, shown_after: bool
) -> tuple[TracedEntry, ...]:
    """Return each entry of the final PATH with the record that last put it there.

    `shown_after`: a record that is itself the assignment shows PATH as it left it.
    """
    blamed: dict[str, Record] = {}
    before, last = list(inherited), Record(file="", line=0, path="", command="")
    for record in records:
        now = record.path.split(":") if record.path else []
        if now != before:
            own = shown_after and record.command.startswith(("PATH=", "export PATH=", "typeset -x PATH="))
            culprit = record if own or record.exact else last
            for entry in dict.fromkeys(now):
                if now.count(entry) > before.count(entry):
                    blamed[entry] = culprit
            for entry in set(before) - set(now):
                blamed.pop(entry, None)
        before, last = now, record
    found = []
    for entry in final:
        record = blamed.get(entry, Record(file="", line=0, path="", command=""))
        found.append(
            TracedEntry(
                directory=Place(entry), file=Place(record.file), line=record.line, command=record.command.strip()
            )
        )
    return tuple(found)


def _run(recipe: Recipe, job: TraceJob, host: Host) -> list[Record]:
    words, variables, output = recipe.prepare(job)
    ran = run_program(
        words,
        environment={**job.variables, **variables},
        timeout_seconds=TIMEOUT_SECONDS,
        directory=host.home if os.path.isdir(host.home) else "/",
        program=job.program,
    )
    raw = ran.errors
    if output and os.path.exists(output):
        with open(output, "rb") as file:
            raw = file.read()
    records = PARSERS[recipe.parser](os.fsdecode(raw))
    return [recipe.restored(record, job) for record in records]


def _with_line(entry: TracedEntry, host: Host) -> TracedEntry:
    """Return the entry with its line, found by the text where the shell told none or one that cannot be.

    An `eval` counts its own lines, dash and tcsh count none. Only a single line that names the directory
    (as it is, or from the home) is taken for the one.
    """
    if not entry.file:
        return entry
    try:
        with open(entry.file, encoding="utf-8", errors="surrogateescape") as file:
            lines = file.read().split("\n")
    except OSError:
        return entry
    there = lines[entry.line - 1] if 0 < entry.line <= len(lines) else ""
    listed = listed_in(entry.directory, host) if "path_helper" in f"{there} {entry.command}" else None
    if listed is not None:
        return replace(entry, file=listed.file, line=listed.line)
    if "PATH" in there or "path" in there:
        return entry
    below = in_home(entry.directory, host.home)
    names = [entry.directory, *([f"~/{below}", f"HOME/{below}", f"HOME}}/{below}"] if below else [])]
    naming = [number for number, text in enumerate(lines, 1) if any(name in text for name in names)]
    return replace(entry, line=naming[0] if len(naming) == 1 else 0)


def _unknown(final: Sequence[str]) -> tuple[TracedEntry, ...]:
    return tuple(TracedEntry(directory=Place(one), file=Place(""), line=0, command="") for one in final)
