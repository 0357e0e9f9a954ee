"""A person's terminal: a program in it, lines typed, what was shown."""

import os
import pty
import select
import signal
import time
from collections.abc import Mapping, Sequence
from pathlib import Path


class Terminal:
    """Starts a program in a pseudo-terminal; use as a context."""

    def __init__(self, argv: Sequence[str], variables: Mapping[str, str], folder: Path, *, argv0: str = "") -> None:
        self.shown = ""
        self._number, self._terminal = pty.fork()
        if self._number == 0:
            os.chdir(folder)
            # Whoever runs the tests in the background ignores interrupts, which a child would inherit.
            signal.signal(signal.SIGINT, signal.SIG_DFL)
            os.execve(argv[0], [argv0 or argv[0], *argv[1:]], {**variables, "TERM": "xterm"})

    def __enter__(self) -> "Terminal":
        return self

    def __exit__(self, *_: object) -> None:
        try:
            os.kill(self._number, signal.SIGKILL)
            os.waitpid(self._number, 0)
        except (ProcessLookupError, ChildProcessError):
            pass
        os.close(self._terminal)

    def wait_for(self, text: str, seconds: float = 20) -> str:
        """Read until a text is shown; fails with all that was."""
        end = time.monotonic() + seconds
        while text not in self.shown:
            assert time.monotonic() < end, f"{text!r} was not shown, but:\n{self.shown}"
            if not self._read(0.1):
                break
        assert text in self.shown, f"{text!r} was not shown, but:\n{self.shown}"
        return self.shown

    def type(self, line: str) -> None:
        self.shown = ""
        os.write(self._terminal, line.encode() + b"\r")

    def send(self, raw: bytes) -> None:
        os.write(self._terminal, raw)

    def ended(self, seconds: float = 20) -> int:
        """Return the program's exit code."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self._read(0.05)
            number, status = os.waitpid(self._number, os.WNOHANG)
            if number:
                return os.waitstatus_to_exitcode(status)
        raise AssertionError(f"it did not end; it showed:\n{self.shown}")

    def read(self, seconds: float) -> None:
        """Read what is shown meanwhile."""
        self._read(seconds)

    def _read(self, seconds: float) -> bool:
        if not select.select([self._terminal], [], [], seconds)[0]:
            return True
        try:
            chunk = os.read(self._terminal, 65536)
        except OSError:
            return False
        self.shown += chunk.decode("utf-8", "replace")
        return bool(chunk)
