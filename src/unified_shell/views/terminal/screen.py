"""The two streams that people read: results on one, progress and messages on the other."""

from __future__ import annotations

import contextlib
import sys
from typing import TYPE_CHECKING, TextIO

from unified_shell.views.next_step_text import next_step_text

from .plain_text import isolated, plain_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    from rich.console import Console

    from unified_shell.core.next_steps import NextStep

__all__ = ["Screen"]

PLAIN_WIDTH = 4096


class Screen:
    """Results go to `out`, messages to `err`. Without a terminal, and where `plain` is wanted, there is no colour, no cursor
    movement, no pager, and no line is broken; `is_dumb` is a terminal that can do nothing but write.
    """

    def __init__(self, *, no_color: bool, home: str = "", plain: bool = False, is_dumb: bool = False) -> None:
        self.home = home
        self.plain = plain
        self._no_color, self._is_dumb = no_color, is_dumb
        self._consoles: dict[int, Console] = {}

    @property
    def is_terminal(self) -> bool:
        """Tell whether results are laid out for a terminal; else they are plain, and the terminal library is not loaded."""
        return sys.stdout.isatty() and not self.plain

    @property
    def has_person(self) -> bool:
        """Tell whether somebody can read a question and answer it."""
        return sys.stdin.isatty() and sys.stdout.isatty()

    @property
    def may_move(self) -> bool:
        """Tell whether messages may move the cursor, as a bar does."""
        return sys.stderr.isatty() and not self.plain and not self._is_dumb

    @contextlib.contextmanager
    def paged(self) -> Iterator[None]:
        """Show the results of a block through the person's pager, where they are longer than the terminal."""
        if not (self.is_terminal and sys.stdin.isatty()) or self._is_dumb:
            yield
            return
        from .paging import HeldOutput, show_held

        real, held = sys.stdout, HeldOutput(sys.stdout.encoding)
        sys.stdout = held
        try:
            yield
        finally:
            sys.stdout = real
            self._consoles.pop(id(held), None)
            show_held(held.getvalue(), real)

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
        text = plain_text(text)
        print(isolated(text) if self.is_terminal else text)

    def next(self, step: NextStep, *, label: str = "Next") -> None:
        """Write what to type next; nothing where that is nothing."""
        if step:
            self.result(f"{label}: {next_step_text(step, self.home)}")

    def _console(self, stream: TextIO) -> Console:
        from .console import PlainConsole

        if id(stream) not in self._consoles:
            terminal = stream.isatty() and not self.plain
            self._consoles[id(stream)] = PlainConsole(
                file=stream,
                no_color=self._no_color or not terminal,
                highlight=False,
                emoji=False,
                markup=False,
                width=None if terminal else PLAIN_WIDTH,
            )
        return self._consoles[id(stream)]
