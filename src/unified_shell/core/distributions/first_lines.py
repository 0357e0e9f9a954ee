"""The first line of a script, which lets the system start its interpreter.

The system reads at most 255 bytes of a script's first line and takes a space for its end (measured: a path
of 253 characters works, 254 does not). Other interpreter paths go through three lines that are shell and
Python at once.
"""

__all__ = ["first_lines"]

MAX_PATH_BYTES = 253


def first_lines(python: str) -> str:
    """Return the line or lines that let the system start this interpreter."""
    size = len(python.encode("utf-8", "surrogateescape"))
    if size <= MAX_PATH_BYTES and not any(c.isspace() for c in python):
        return f"#!{python}\n"
    # To sh, ''' is an empty word joined to exec; to Python, the lines are one string.
    quoted = "".join("\\" + c if c in '\\"$`' else c for c in python)
    return f"#!/bin/sh\n'''exec' \"{quoted}\" \"$0\" \"$@\"\n' '''\n"
