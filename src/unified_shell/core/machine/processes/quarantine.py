"""The mark that macOS gives to files that a browser or mail program wrote: it asks before it starts one, or refuses to."""

import os

from unified_shell.core.machine.processes.processes import run_program

__all__ = ["MARK", "is_quarantined"]

# The system's own program for what files have beside their content (xattr(1)); Python has no call for it there.
XATTR = "/usr/bin/xattr"
MARK = "com.apple.quarantine"
ASK_SECONDS = 5.0


def is_quarantined(path: str) -> bool:
    """Tell whether a file has the mark; never on a system without that program."""
    if not os.access(XATTR, os.X_OK):
        return False
    ran = run_program((XATTR, "-p", MARK, path), environment={"PATH": "/usr/bin:/bin"}, timeout_seconds=ASK_SECONDS)
    return ran.returncode == 0 and bool(ran.output.strip())
