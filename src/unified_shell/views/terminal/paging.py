"""Results that are longer than the terminal go through the person's pager."""

import io
import shutil
from typing import TextIO

import click

__all__ = ["HeldOutput", "show_held"]


class HeldOutput(io.StringIO):
    """What is written to a terminal, held back until it is known how long it is."""

    def __init__(self, encoding: str) -> None:
        super().__init__()
        self._encoding = encoding

    @property
    def encoding(self) -> str:  # type: ignore[override]  # a text in memory has none of its own
        """The encoding of the terminal."""
        return self._encoding

    def isatty(self) -> bool:
        """Tell that it is for a terminal."""
        return True


def show_held(text: str, out: TextIO) -> None:
    """Write a text to the terminal, through the pager (`PAGER`, else one of the system's) where it is longer than that."""
    if text.count("\n") < shutil.get_terminal_size((80, 24)).lines:
        out.write(text)
        out.flush()
    else:
        click.echo_via_pager(text)
