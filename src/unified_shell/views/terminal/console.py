"""A console that lets no control sequence through but its own."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from rich.console import Console
from rich.segment import Segment

from .plain_text import ISOLATES, plain_text

if TYPE_CHECKING:
    from collections.abc import Iterable

    from rich.console import ConsoleOptions, RenderableType

__all__ = ["PlainConsole"]


class PlainConsole(Console):
    """Rich's console; whatever is laid out by it, a cell or a status line, has its texts made plain first."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """Return the segments of something, plain texts in them; control codes of the console's own stay."""
        for segment in super().render(renderable, options):
            if segment.control or segment.text.isprintable():
                yield segment
            else:
                # Isolates are our own: what comes from outside had its own written as escapes before.
                parts = re.split(f"([{ISOLATES}])", segment.text)
                text = "".join(one if one in ISOLATES else plain_text(one) for one in parts)
                yield Segment(text, segment.style)
