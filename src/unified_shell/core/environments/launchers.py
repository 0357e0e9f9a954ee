"""The scripts that start a distribution's commands.

The system reads at most 255 bytes of a script's first line and takes a space for its end (measured: a path
of 253 characters works, 254 does not). Other interpreter paths go through three lines that are shell and
Python at once.
"""

import re

from unified_shell.core.distributions.entry_points import EntryPoint

__all__ = ["launcher_text", "with_first_line"]

MAX_PATH_BYTES = 253
PYTHON_LINE = re.compile(rb"^#!python[^\n]*\n")

LAUNCHER = """\
import sys

from {module} import {top}

if __name__ == "__main__":
    sys.exit({attribute}())
"""


def first_lines(python: str) -> str:
    """Return the line or lines that let the system start this interpreter."""
    size = len(python.encode("utf-8", "surrogateescape"))
    if size <= MAX_PATH_BYTES and not any(c.isspace() for c in python):
        return f"#!{python}\n"
    # To sh, ''' is an empty word joined to exec; to Python, the lines are one string.
    quoted = "".join("\\" + c if c in '\\"$`' else c for c in python)
    return f"#!/bin/sh\n'''exec' \"{quoted}\" \"$0\" \"$@\"\n' '''\n"


def launcher_text(entry: EntryPoint, python: str) -> str:
    """Return the script for an entry point."""
    top = entry.attribute.split(".")[0]
    return first_lines(python) + LAUNCHER.format(module=entry.module, top=top, attribute=entry.attribute)


def with_first_line(script: bytes, python: str) -> bytes:
    """Return a wheel's own script with `#!python` replaced by the interpreter, as the wheel format asks."""
    found = PYTHON_LINE.match(script)
    if found is None:
        return script
    return first_lines(python).encode("utf-8", "surrogateescape") + script[found.end() :]
