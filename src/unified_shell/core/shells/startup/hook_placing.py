"""Where in a startup file the hook-up runs: at its end, unless new sessions are seen to leave the file before that.

A `return`, `exit` or `exec` in a file says little: it may stand in a function, in a branch that is not taken, in text that
is written elsewhere. So it is tried: sessions are opened in a scratch home, which is links to the person's and a copy of
the file, with a mark at its end and above each statement that could leave it. A mark only stands where a statement
begins at the top level, which the shell's own syntax check tells: what is above is whole by itself.
"""

import os
import re
import tempfile
from collections.abc import Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, in_home, join
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.dialects.overlays import link_all
from unified_shell.core.shells.sessions.sessions import open_session
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables

__all__ = ["Placing", "place_hook"]

LEAVES = re.compile(rb"\b(return|exit|exec|logout|bye)\b")
HEREDOC = re.compile(rb"<<-?\s*(['\"\\]?)([A-Za-z_]\w*)")
MARK = "USH_HOOK_MARK"
END = "end"
# Each mark is tried with a new session; files that leave early have one or two places.
MOST_MARKS = 12
# Bounds the time that one plan may take over all files.
MOST_CHECKS = 150


class Placing(Struct, frozen=True, kw_only=True):
    """A byte offset, -1 for the end; `line` is the number of the line below it, which leaves the file."""

    at: int = -1
    line: int = 0


def place_hook(path: Place, owner: Dialect, readers: Sequence[tuple[Dialect, Mode]], host: Host) -> Placing:
    """Return where the hook-up is reached in all these sessions; the end, where nothing else is known to be better.

    Opens each session at most once, and only where the file has a word that could leave it.
    """
    found = read_file(path)
    below = in_home(path, host.home)
    if found is None or below is None or not LEAVES.search(found[0]):
        return Placing()
    offsets = _offsets(found[0], owner, host)
    marked = b"".join(_with_marks(found[0], offsets, owner))
    reached = [_reached(marked, Place(below), reader, host) for reader in readers]
    numbers = [int(one) for one in reached if one.isdigit()]
    # Where a session comes to the end, or to no mark at all, there is no better place.
    if not numbers or "" in reached:
        return Placing()
    at = offsets[min(numbers)]
    return Placing(at=at, line=found[0].count(b"\n", 0, at) + 1)


def _offsets(content: bytes, owner: Dialect, host: Host) -> list[int]:
    """Return where the statements begin that could leave the file, from the top."""
    checker = _Checker(owner, host)
    lines = content.split(b"\n")
    starts = [0]
    for line in lines:
        starts.append(starts[-1] + len(line) + 1)
    within = _lines_of_heredocs(lines)
    found: list[int] = []
    for number, line in enumerate(lines):
        code = line.split(b"#", 1)[0] if line.lstrip().startswith(b"#") else line
        if number in within or not LEAVES.search(code):
            continue
        for at in range(number, -1, -1):
            if found and starts[at] <= found[-1]:
                break
            if at not in within and checker.is_whole(content[: starts[at]]):
                found.append(starts[at])
                break
    return found[:MOST_MARKS]


class _Checker:
    """Tells whether text is whole by itself, by the shell's syntax check; of a shell without one, nothing is."""

    def __init__(self, owner: Dialect, host: Host) -> None:
        self._owner, self._host = owner, host
        self._program = find_program(owner, host)
        self._left = MOST_CHECKS

    def is_whole(self, text: bytes) -> bool:
        """Tell whether a statement may begin after the text."""
        if not text.strip():
            return True
        last = text.rstrip(b"\n").rsplit(b"\n", 1)[-1]
        if last.endswith((b"\\", b"|", b"&&")) or self._program is None or self._left <= 0:
            return False
        self._left -= 1
        with tempfile.NamedTemporaryFile(prefix="ush-syntax-") as file:
            file.write(text)
            file.flush()
            words = self._owner.syntax_check(file.name) if self._owner.name != "tcsh" else ()
            if not words:
                return False
            ran = run_program(
                (self._program, *words), environment=fresh_variables(self._host, self._program), timeout_seconds=10
            )
        return ran.returncode == 0 and b"here-document" not in ran.errors


def _lines_of_heredocs(lines: Sequence[bytes]) -> frozenset[int]:
    """Return the numbers of lines that are text of a here-document, with the line that ends it: most shells' syntax
    checks do not tell an open one.
    """
    inside: set[int] = set()
    waiting: list[bytes] = []
    for number, line in enumerate(lines):
        if waiting:
            inside.add(number)
            if line.strip() == waiting[0]:
                waiting.pop(0)
            continue
        if not line.lstrip().startswith(b"#") and b"<<<" not in line:
            waiting = [found[2] for found in HEREDOC.finditer(line)]
    return frozenset(inside)


def _reached(marked: bytes, below: Place, reader: tuple[Dialect, Mode], host: Host) -> str:
    """Return the last mark that a session comes to; empty for none."""
    dialect, mode = reader
    with tempfile.TemporaryDirectory(prefix="ush-home-") as home:
        _link_home(host.home, home, below)
        with open(join(home, below), "wb") as file:
            file.write(marked)
        session = open_session(dialect, mode, replace(host, home=Place(home)))
    return dict(session.variables).get(MARK, "")


def _with_marks(content: bytes, offsets: Sequence[int], owner: Dialect) -> Iterator[bytes]:
    begun = 0
    for number, at in enumerate(offsets):
        yield content[begun:at]
        yield owner.export_line(MARK, str(number)).encode("ascii") + b"\n"
        begun = at
    yield content[begun:]
    yield b"\n" + owner.export_line(MARK, END).encode("ascii") + b"\n"


def _link_home(real: str, scratch: str, below: str) -> None:
    """Make a home of links to all of a person's, but for the folders on the way to one file, and the file itself."""
    parts = below.split("/")
    for depth in range(len(parts)):
        folder = join(scratch, *parts[:depth])
        os.makedirs(folder, exist_ok=True)
        link_all(join(real, *parts[:depth]), folder, but=(parts[depth],))
