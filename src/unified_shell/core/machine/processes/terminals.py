"""A program in a pseudo-terminal: typed at its prompt, as a person would."""

import contextlib
import errno
import os
import select
import struct
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.interrupts import holding_interrupts, raise_if_interrupted

from .descendants import end_marked, end_session, ending_with_us, marked

__all__ = ["Typed", "type_at_prompt"]

# Wide, so that no prompt or answer is broken into lines.
COLUMNS = 500
# A shell that edits its line is ready where it falls silent; one that reads plain lines falls silent in between as
# well.
QUIET_AT_PROMPT_SECONDS = 0.25
QUIET_OTHERWISE_SECONDS = 0.8
# What is typed before a shell reads may be thrown away; it is typed again, but not for ever.
RETYPE_SECONDS = 1.0
MAX_TYPED = 4


class Typed(Struct, frozen=True, kw_only=True):
    """What came of it: whether the aim was reached, and all that was shown."""

    reached: bool
    shown: bytes
    elapsed_seconds: float


@holding_interrupts()
def type_at_prompt(
    argv: Sequence[str],
    line: str,
    *,
    program: str,
    environment: Mapping[str, str],
    directory: str,
    timeout_seconds: float,
    reached: Callable[[], bool],
) -> Typed:
    """Start `program` (with `argv` as its own words) in a terminal and type `line`: ahead, and again when it is quiet.

    What is typed ahead waits in the terminal until the prompt reads it, so that a session takes no longer than its start.
    A line may be swallowed by a startup file that asks a question, or be thrown away by what sets the terminal up; then
    it is typed again at the prompt. A shell with a line editor puts the terminal into raw mode there; one without never
    does, so then a longer silence is taken for the prompt. At the end all that was started is killed with SIGKILL, also
    what left the terminal's session: on a hang-up some shells would write history files.
    """
    try:
        import fcntl
        import pty
        import termios
    except ImportError:
        return Typed(reached=False, shown=b"this system has no pseudo-terminals", elapsed_seconds=0.0)
    variables, mark = marked(environment)
    prepare = ending_with_us()
    number, terminal = pty.fork()
    if number == 0:
        _become(argv, program, variables, directory, prepare)
    fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 40, COLUMNS, 0, 0))
    began = last = steady_seconds()
    try:
        os.write(terminal, _line(line))
        typed_at = [began]
        shown = b""
        while steady_seconds() - began < timeout_seconds and not reached():
            raise_if_interrupted()
            if select.select([terminal], [], [], 0.01)[0]:
                chunk = _read(terminal)
                if not chunk:
                    break
                shown, last = (shown + chunk)[-65536:], steady_seconds()
                _answer_questions(terminal, chunk)
            now = steady_seconds()
            due = len(typed_at) < MAX_TYPED and now - typed_at[-1] > RETYPE_SECONDS
            if due and now - last > _patience(terminal):
                os.write(terminal, _line(line))
                typed_at.append(now)
        done = reached()
    finally:
        _end(number, terminal)
        end_marked(mark)
    return Typed(reached=done or reached(), shown=shown, elapsed_seconds=steady_seconds() - began)


def _line(line: str) -> bytes:
    return line.encode("utf-8", "surrogateescape") + b"\r"


def _become(
    argv: Sequence[str],
    program: str,
    environment: Mapping[str, str],
    directory: str,
    prepare: Callable[[], None] | None,
) -> None:
    try:
        if prepare is not None:
            prepare()
        os.chdir(directory)
        os.execve(program, list(argv), dict(environment))
    finally:
        os._exit(127)


def _read(terminal: int) -> bytes:
    try:
        return os.read(terminal, 65536)
    except OSError as error:
        if error.errno == errno.EIO:  # the other end is closed
            return b""
        raise


def _answer_questions(terminal: int, chunk: bytes) -> None:
    """Answer as a terminal does: where the cursor is, and what kind of terminal this is."""
    if b"\x1b[6n" in chunk:
        os.write(terminal, b"\x1b[1;1R")
    if b"\x1b[c" in chunk or b"\x1b[0c" in chunk:
        os.write(terminal, b"\x1b[?62;c")


def _patience(terminal: int) -> float:
    import termios

    line_mode = termios.tcgetattr(terminal)[3] & termios.ICANON
    return QUIET_OTHERWISE_SECONDS if line_mode else QUIET_AT_PROMPT_SECONDS


def _end(number: int, terminal: int) -> None:
    end_session(number)
    with contextlib.suppress(ChildProcessError):
        os.waitpid(number, 0)
    os.close(terminal)
