"""The line that installs an extra of ours into the environment that we run in."""

import sys

from .places import typed

__all__ = ["extra_line"]


def extra_line(extra: str) -> str:
    """Return the line; it names our own interpreter, since the one on PATH is seldom that."""
    return f"python3 -m pip --python {typed(sys.executable)} install 'unified-shell[{extra}]'"
