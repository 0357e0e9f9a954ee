"""The variables that a program is started with, written into a file as they were given: a line that a shell can run.

Where the system shows them (`/proc`), they are copied. Elsewhere a program that changes none of its own writes them: perl, which
macOS has, or this Python, which may add LC_CTYPE (PEP 538) and is corrected for it. They are separated by zero bytes.
"""

import os
import sys

__all__ = ["has_proc", "parse_variables", "writing_words"]

PERL = "/usr/bin/perl"
IN_PERL = 'open F, ">", $ARGV[0]; binmode F; print F "$_=$ENV{$_}\\0" for keys %ENV; close F'
# Set by systems and interpreters for themselves.
OF_THEIR_OWN = ("__CF_USER_TEXT_ENCODING", "__PYVENV_LAUNCHER__")


def has_proc() -> bool:
    """Tell whether the system shows what processes are in `/proc`."""
    return os.path.exists("/proc/self/environ")


def writing_words() -> tuple[str, ...]:
    """Return the words that write the variables of whoever runs them into the file named behind; all are absolute paths."""
    if has_proc():
        return ("/bin/cp", "-f", "/proc/self/environ")
    if os.access(PERL, os.X_OK):
        return (PERL, "-e", IN_PERL)
    return (sys.executable, "-I", "-S", os.path.join(os.path.dirname(__file__), "write_variables.py"))


def parse_variables(content: bytes) -> tuple[tuple[str, str], ...]:
    """Return the names and values that were written."""
    pairs = [os.fsdecode(one).partition("=") for one in content.split(b"\0") if one]
    return tuple((name, value) for name, _, value in pairs if name not in OF_THEIR_OWN)
