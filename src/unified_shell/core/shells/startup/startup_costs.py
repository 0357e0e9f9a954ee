"""What a startup file costs at the start of a session, and whether it edits search paths."""

import os
import re
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables

__all__ = ["FileCost", "edits_paths", "measure_costs"]

EDIT = re.compile(
    rb"^[^#\n]*(\b(export\s+)?(PATH|MANPATH|LD_LIBRARY_PATH|PYTHONPATH)\+?=|\bpath\+?=\(|\bfish_add_path\b"
    rb"|\bset\s+(-\S+\s+)*(PATH|path)\b|\bsetenv\s+PATH\b)",
    re.MULTILINE,
)
# The best of a few: the first fills the disk's cache.
RUNS = 5
TIMEOUT_SECONDS = 20.0


class FileCost(Struct, frozen=True, kw_only=True):
    """The least of several timings of one file, less that of an empty one; never below zero."""

    path: Place
    milliseconds: float
    trouble: str = ""


def edits_paths(path: str) -> bool:
    """Tell whether a file holds a statement that changes a search path, by its text alone."""
    try:
        content = read_file(path)
    except OSError:
        return False
    return content is not None and EDIT.search(content[0]) is not None


def measure_costs(dialect: Dialect, paths: Sequence[Place], host: Host) -> tuple[FileCost, ...]:
    """Run each file by itself in an interactive shell without startup files and time it."""
    program = find_program(dialect, host)
    if program is None:
        return ()
    empty, _ = _time(dialect, os.devnull, program, host)
    found = []
    for path in paths:
        took, trouble = _time(dialect, path, program, host)
        found.append(FileCost(path=path, milliseconds=round(max(0.0, took - empty) * 1000, 1), trouble=trouble))
    return tuple(found)


def _time(dialect: Dialect, path: str, program: Place, host: Host) -> tuple[float, str]:
    variables = {**fresh_variables(host, program), "ENV": os.devnull}
    words = (program, *dialect.bare_words, "-i", "-c", dialect.source_line(path))
    best, trouble = TIMEOUT_SECONDS, ""
    for _ in range(RUNS):
        ran = run_program(
            words,
            environment=variables,
            timeout_seconds=TIMEOUT_SECONDS,
            directory=host.home if os.path.isdir(host.home) else "/",
        )
        best = min(best, ran.elapsed_seconds)
        trouble = ran.trouble if ran.timed_out or ran.not_started else ""
    return best, trouble
