"""A program that is asked again and again: one line each way, as long as it lives."""

import contextlib
import select
import subprocess
from collections.abc import Mapping, Sequence

from unified_shell.core.machine.interrupts import holding_interrupts

from .ending import end_group

__all__ = ["Conversation"]


class Conversation:
    """Starts the program at once; `close` ends it with all that it started."""

    @holding_interrupts()
    def __init__(self, argv: Sequence[str], *, environment: Mapping[str, str]) -> None:
        self._process = subprocess.Popen(
            list(argv),
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env=dict(environment),
            cwd="/",
            start_new_session=True,
        )

    def ask(self, line: bytes, timeout_seconds: float) -> bytes | None:
        """Return the answer to a line; None where the program ended, or said nothing in time and was ended for it."""
        into, out = self._process.stdin, self._process.stdout
        if into is None or out is None:
            return None
        try:
            into.write(line + b"\n")
            into.flush()
            ready, _, _ = select.select([out], [], [], timeout_seconds)
            answer = out.readline() if ready else b""
        except (OSError, ValueError):
            answer = b""
        if not answer:
            self.close()
            return None
        return answer.rstrip(b"\n")

    @holding_interrupts()
    def close(self) -> None:
        """End the program."""
        with contextlib.suppress(ProcessLookupError, PermissionError):
            end_group(self._process.pid)
        self._process.wait()
        for stream in (self._process.stdin, self._process.stdout):
            with contextlib.suppress(OSError):
                if stream is not None:
                    stream.close()
