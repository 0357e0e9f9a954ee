"""The scripts that start a distribution's commands."""

import re

from unified_shell.core.distributions.entry_points import EntryPoint
from unified_shell.core.distributions.shebangs import shebang_lines

__all__ = ["launcher_text", "with_first_line"]

OPTION = re.compile(r"-[A-Za-z]+")
PYTHON_LINE = re.compile(rb"^#!pythonw?[ \t]*([^\r\n]*)\r?\n")

LAUNCHER = """\
import sys

from {module} import {top}

if __name__ == "__main__":
    sys.exit({attribute}())
"""


def launcher_text(entry: EntryPoint, python: str) -> str:
    """Return the script for an entry point."""
    top = entry.attribute.split(".")[0]
    return shebang_lines(python) + LAUNCHER.format(module=entry.module, top=top, attribute=entry.attribute)


def with_first_line(script: bytes, python: str) -> bytes:
    """Return a wheel's own script with `#!python` replaced by the interpreter, as the wheel format asks."""
    found = PYTHON_LINE.match(script)
    if found is None:
        return script
    # Of what a wheel brings, only options of letters become part of a line that a shell may read.
    words = found[1].decode("utf-8", "replace").split()
    options = " ".join(one for one in words if OPTION.fullmatch(one))
    return shebang_lines(python, options).encode("utf-8", "surrogateescape") + script[found.end() :]
