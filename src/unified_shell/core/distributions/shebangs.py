"""The first line of a script, which lets the system start its interpreter.

The system reads at most 255 bytes of a script's first line and takes a space for its end (measured: a path
of 253 characters works, 254 does not). Other interpreter paths go through three lines that are shell and
Python at once.
"""

__all__ = ["shebang_lines"]

# Linux reads 256 bytes of a first line (BINPRM_BUF_SIZE), `#!` and the end of the text among them.
MAX_PATH_BYTES = 253


def shebang_lines(python: str, options: str = "") -> str:
    """Return the line or lines that let the system start this interpreter, with options such as `-E`."""
    size = len(f"{python} {options}".encode("utf-8", "surrogateescape"))
    # The system hands all that follows the program on as one word.
    if size <= MAX_PATH_BYTES and not any(c.isspace() for c in python) and not any(c.isspace() for c in options):
        return f"#!{python} {options}".rstrip() + "\n"
    # To sh, ''' is an empty word joined to exec; to Python, the lines are one string.
    quoted = "".join("\\" + c if c in '\\"$`' else c for c in python)
    words = f" {options}" if options else ""
    return f"#!/bin/sh\n'''exec' \"{quoted}\"{words} \"$0\" \"$@\"\n' '''\n"
