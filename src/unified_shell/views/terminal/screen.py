"""The two streams that people read: results on one, progress and messages on the other."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, TextIO

from unified_shell.views.next_step_text import next_step_text

from .plain_text import plain_text

if TYPE_CHECKING:
    from rich.console import Console

    from unified_shell.core.next_steps import NextStep

__all__ = ["Screen"]

PLAIN_WIDTH = 4096


class Screen:
    """Results go to `out`, messages to `err`. Plain where it is no terminal, or NO_COLOR is set."""

    def __init__(self, *, no_color: bool, home: str = "") -> None:
        self.home = home
        self._no_color = no_color
        self._consoles: dict[int, Console] = {}

    @property
    def is_terminal(self) -> bool:
        """Tell whether results go to a terminal; elsewhere they are plain, and the terminal library is not loaded."""
        return sys.stdout.isatty()

    @property
    def width(self) -> int:
        """How wide a line of results may be, in characters."""
        return self.out.width if self.is_terminal else PLAIN_WIDTH

    @property
    def out(self) -> Console:
        """The console of results."""
        return self._console(sys.stdout)

    @property
    def err(self) -> Console:
        """The console of progress and messages."""
        return self._console(sys.stderr)

    def say(self, text: str) -> None:
        """Write a message, as it is."""
        print(plain_text(text), file=sys.stderr)

    def result(self, text: str) -> None:
        """Write a result, as it is."""
        print(plain_text(text))

    def next(self, step: NextStep, *, label: str = "Next") -> None:
        """Write what to type next; nothing where that is nothing."""
        if step:
            self.result(f"{label}: {next_step_text(step, self.home)}")

    def _console(self, stream: TextIO) -> Console:
        from .console import PlainConsole

        if id(stream) not in self._consoles:
            terminal = stream.isatty()
            self._consoles[id(stream)] = PlainConsole(
                file=stream,
                no_color=self._no_color or not terminal,
                highlight=False,
                emoji=False,
                markup=False,
                width=None if terminal else PLAIN_WIDTH,
            )
        return self._consoles[id(stream)]
