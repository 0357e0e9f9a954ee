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

__all__ = ["Typed", "TypingAtPrompt"]

# Wide, so that no prompt or answer is broken into lines.
COLUMNS = 500
# A shell that edits its line is ready where it falls silent; one that reads plain lines falls silent in between as
# well.
QUIET_AT_PROMPT_SECONDS = 0.25
QUIET_OTHERWISE_SECONDS = 0.8
# What is typed before a shell reads may be thrown away; it is typed again, but not for ever.
RETYPE_SECONDS = 1.0
MAX_TYPED = 4
# How soon an answer is seen that shows nothing in the terminal.
LOOK_SECONDS = 0.005


class Typed(Struct, frozen=True, kw_only=True):
    """What came of it: whether the aim was reached, and all that was shown."""

    reached: bool
    shown: bytes
    elapsed_seconds: float


class TypingAtPrompt:
    """A program in a terminal, and a line that is typed at its prompt: ahead, and again when it is quiet.

    It begins with the block; what else the block does, it does while the program starts. What is typed ahead waits in the
    terminal until the prompt reads it, so that a session takes no longer than its start. A line may be swallowed by a
    startup file that asks a question, or be thrown away by what sets the terminal up; then it is typed again at the prompt.
    A shell with a line editor puts the terminal into raw mode there; one without never does, so then a longer silence is
    taken for the prompt. At the end of the block all that was started is killed with SIGKILL, also what left the
    terminal's session: on a hang-up some shells would write history files.
    """

    def __init__(
        self,
        argv: Sequence[str],
        line: str,
        *,
        program: str,
        environment: Mapping[str, str],
        directory: str,
        timeout_seconds: float,
        reached: Callable[[], bool],
    ) -> None:
        """Start `program` with `argv` as its own words; the aim is reached where `reached` says so."""
        self._argv, self._line, self._program, self._directory = argv, _line(line), program, directory
        self._variables, self._mark = marked(environment)
        self._timeout_seconds, self._reached = timeout_seconds, reached
        self._number, self._terminal = 0, -1
        self._began = 0.0

    def __enter__(self) -> "TypingAtPrompt":
        try:
            self._start()
        except BaseException:
            self.__exit__()
            raise
        return self

    @holding_interrupts()
    def _start(self) -> None:
        try:
            import fcntl
            import pty
            import termios
        except ImportError:
            return
        prepare = ending_with_us()
        self._began = steady_seconds()
        self._number, self._terminal = pty.fork()
        if self._number == 0:
            _become(self._argv, self._program, self._variables, self._directory, prepare)
        # Else it would be open in the next session too.
        os.set_inheritable(self._terminal, False)  # noqa: FBT003 - it takes no names
        fcntl.ioctl(self._terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 40, COLUMNS, 0, 0))
        os.write(self._terminal, self._line)

    @holding_interrupts()
    def __exit__(self, *_: object) -> None:
        if self._terminal >= 0:
            end_session(self._number)
            with contextlib.suppress(ChildProcessError):
                os.waitpid(self._number, 0)
            os.close(self._terminal)
            end_marked(self._mark)

    @holding_interrupts()
    def wait(self) -> Typed:
        """Wait until the aim is reached, the program ends, or the time is over."""
        if self._terminal < 0:
            return Typed(reached=False, shown=b"this system has no pseudo-terminals", elapsed_seconds=0.0)
        shown = b""
        typed_at = [self._began]
        # What the block did meanwhile is no silence of the program's, nor its time: nobody read what it shows till now.
        asked = last = steady_seconds()
        while steady_seconds() - asked < self._timeout_seconds and not self._reached():
            raise_if_interrupted()
            if select.select([self._terminal], [], [], LOOK_SECONDS)[0]:
                chunk = _read(self._terminal)
                if not chunk:
                    break
                shown, last = (shown + chunk)[-65536:], steady_seconds()
                _answer_questions(self._terminal, chunk)
            now = steady_seconds()
            due = len(typed_at) < MAX_TYPED and now - typed_at[-1] > RETYPE_SECONDS
            if due and now - last > _patience(self._terminal):
                os.write(self._terminal, self._line)
                typed_at.append(now)
        return Typed(reached=self._reached(), shown=shown, elapsed_seconds=steady_seconds() - self._began)


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
