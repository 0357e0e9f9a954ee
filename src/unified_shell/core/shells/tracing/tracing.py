"""Who put an entry on PATH: each startup file is run with a trace that shows PATH beside every command.

Established by trying: bash, zsh and mksh expand the trace's prefix before a command runs, so a change shows
in the record after it; dash and ksh show a plain assignment after it was made. Records of subshells do not
count. What a shell does not tell (dash has no line numbers, ksh's drift) is left at 0.
"""

import os
import tempfile
from collections.abc import Callable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, in_home
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables
from unified_shell.core.shells.startup.startup_files import read_startup_states
from unified_shell.core.shells.wiring.path_helper import listed_in

from .trace_recipes import RECIPES, Recipe, TraceJob
from .trace_records import Record, parse_csh, parse_fish, parse_prefixed

__all__ = ["PathTrace", "TracedEntry", "attribute", "trace_loss", "trace_path"]

# A traced session is slower than a plain one.
TIMEOUT_SECONDS = 15.0
PARSERS: dict[str, Callable[..., list[Record]]] = {
    "prefixed": parse_prefixed,
    "fish": parse_fish,
    "csh": parse_csh,
}


class TracedEntry(Struct, frozen=True, kw_only=True):
    """An entry of PATH and what put it there: file (empty: inherited), line (0: not known), the command."""

    directory: Place
    file: Place
    line: int
    command: str


class PathTrace(Struct, frozen=True, kw_only=True):
    """The entries of a new session in order. `lost`: PATH changed again where no trace saw it."""

    entries: tuple[TracedEntry, ...]
    lost: bool = False
    trouble: str = ""


def trace_path(dialect: Dialect, mode: Mode, host: Host, final: Sequence[str], variable: str = "PATH") -> PathTrace:
    """Trace a new session's startup files and say for each entry of `final`, its PATH or another search path, where it
    came from.
    """
    traced = _traced(dialect, mode, host, variable)
    if isinstance(traced, str):
        return PathTrace(entries=_unknown(final), trouble=traced)
    records, recipe, files = traced.records, traced.recipe, traced.files
    found = attribute(records, final, traced.inherited, shown_after=recipe.shown_after, variable=variable)
    if dialect.name == "fish":
        found = tuple(_of_call(one, files, host) for one in found)
    entries = tuple(_with_line(one, host) for one in found)
    return PathTrace(entries=entries, lost=":".join(final) != records[-1].path)


def trace_loss(
    dialect: Dialect, mode: Mode, host: Host, directory: str, variable: str = "PATH"
) -> TracedEntry | None:
    """Trace a new session's startup files and return the line after which a directory is no longer on a search path; None
    where none is seen to take it away.
    """
    traced = _traced(dialect, mode, host, variable)
    if isinstance(traced, str):
        return None
    culprit, before, last = None, False, traced.records[0]
    for record in traced.records:
        there = directory in record.path.split(":")
        if before and not there:
            own = record.exact or (traced.recipe.shown_after and record.command.startswith(_assigns(variable)))
            culprit = record if own else last
        before, last = there, record
    if culprit is None or before:
        return None
    return TracedEntry(
        directory=Place(directory), file=Place(culprit.file), line=culprit.line, command=culprit.command
    )


class _Traced(Struct, frozen=True):
    """What a trace recorded, how, of which startup files, and the entries that were there before."""

    records: list[Record]
    recipe: Recipe
    files: list[Place]
    inherited: list[str]


def _traced(dialect: Dialect, mode: Mode, host: Host, variable: str) -> "_Traced | str":
    """Trace a new session; returns why it cannot be where it cannot."""
    program = find_program(dialect, host)
    recipe = RECIPES.get(dialect.name)
    if program is None or recipe is None:
        return f"{dialect.name} cannot be traced here"
    with tempfile.TemporaryDirectory(prefix="ush-trace-") as folder:
        files = [one.path for one in read_startup_states(dialect, host) if one.mode is mode and one.is_read]
        base = fresh_variables(host, program)
        job = TraceJob(
            folder=folder,
            program=program,
            mode=mode,
            files=tuple(files),
            home=host.home,
            variables=base,
            variable=variable,
        )
        records = _run(recipe, job, host)
    if not records:
        return "the startup files could not be traced"
    inherited = base[variable].split(":") if base.get(variable) else []
    return _Traced(records, recipe, files, inherited)


def _assigns(variable: str) -> tuple[str, ...]:
    return f"{variable}=", f"export {variable}=", f"typeset -x {variable}="


def attribute(
    records: Sequence[Record],
    final: Sequence[str],
    inherited: Sequence[str],
    *,
    shown_after: bool,
    variable: str = "PATH",
) -> tuple[TracedEntry, ...]:
    """Return each entry of the final search path with the record that put it there, the first and second of a doubled
    one apart.

    `shown_after`: a record that is itself the assignment shows the path as it left it.
    """
    nobody = Record(file="", line=0, path="", command="")
    assigns = _assigns(variable)
    before, blamed, last = list(inherited), [nobody] * len(inherited), nobody
    for record in records:
        now = record.path.split(":") if record.path else []
        if now != before:
            own = shown_after and record.command.startswith(assigns)
            blamed = _moved(before, blamed, now, record if own or record.exact else last)
        before, last = now, record
    if list(final) != before:
        # It changed where no trace saw it: what is known of the names still holds.
        known = dict(zip(reversed(before), reversed(blamed), strict=True))
        blamed = [known.get(entry, nobody) for entry in final]
    return tuple(
        TracedEntry(directory=Place(entry), file=Place(record.file), line=record.line, command=record.command.strip())
        for entry, record in zip(final, blamed, strict=True)
    )


def _moved(before: list[str], blamed: list[Record], now: list[str], culprit: Record) -> list[Record]:
    """Return who put each entry of a changed path there: what stands in the same order as before keeps its record."""
    import difflib

    found = [culprit] * len(now)
    for same in difflib.SequenceMatcher(None, before, now, autojunk=False).get_matching_blocks():
        found[same.b : same.b + same.size] = blamed[same.a : same.a + same.size]
    return found


def _of_call(entry: TracedEntry, files: Sequence[Place], host: Host) -> TracedEntry:
    """fish tells of a function's own line only, and of its own files for `fish_user_paths`: then the one line of the
    startup files that names the directory is taken for the call.
    """
    named = {(file, number) for file in files for number in _naming(file, entry.directory, host)}
    in_function = "argv" in _line_of(entry.file, entry.line) or entry.file not in files
    if not entry.file or not in_function or len(named) != 1:
        return entry
    file, number = named.pop()
    return replace(entry, file=file, line=number)


def _line_of(file: str, number: int) -> str:
    lines = _lines(file)
    return lines[number - 1] if 0 < number <= len(lines) else ""


def _naming(file: str, directory: str, host: Host) -> list[int]:
    """Return the numbers of the lines that name a directory, as it is or from the home."""
    below = in_home(directory, host.home)
    names = [directory, *([f"~/{below}", f"HOME/{below}", f"HOME}}/{below}"] if below else [])]
    return [number for number, text in enumerate(_lines(file), 1) if any(name in text for name in names)]


def _lines(file: str) -> list[str]:
    try:
        with open(file, encoding="utf-8", errors="surrogateescape") as opened:
            return opened.read().split("\n")
    except OSError:
        return []


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
    text = os.fsdecode(raw)
    records = parse_csh(text, job.variable) if recipe.parser == "csh" else PARSERS[recipe.parser](text)
    return [recipe.restored(record, job) for record in records]


def _with_line(entry: TracedEntry, host: Host) -> TracedEntry:
    """Return the entry with its line, found by the text where the shell told none or one that cannot be.

    An `eval` counts its own lines, dash and tcsh count none. Only a single line that names the directory
    (as it is, or from the home) is taken for the one.
    """
    if not entry.file:
        return entry
    there, naming = _line_of(entry.file, entry.line), _naming(entry.file, entry.directory, host)
    listed = listed_in(entry.directory, host) if "path_helper" in f"{there} {entry.command}" else None
    if listed is not None:
        return replace(entry, file=listed.file, line=listed.line)
    if "PATH" in there.upper() or entry.line in naming:
        return entry
    return replace(entry, line=naming[0] if len(naming) == 1 else 0)


def _unknown(final: Sequence[str]) -> tuple[TracedEntry, ...]:
    return tuple(TracedEntry(directory=Place(one), file=Place(""), line=0, command="") for one in final)
