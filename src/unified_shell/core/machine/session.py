"""The session that we were started from: which shell, and whether a person sits at it."""

import os
import sys

from msgspec import Struct

from .places import Place

__all__ = ["SHELLS", "SessionFacts", "read_session"]

# What the process of a shell is called; a test holds every dialect's programs against it.
SHELLS = ("bash", "zsh", "fish", "sh", "dash", "ksh", "ksh93", "mksh", "tcsh", "csh", "busybox", "pwsh", "cmd.exe")
# A shell, a launcher or two and a terminal lie between; what is further is not this session's.
FAR_ENOUGH = 6


class SessionFacts(Struct, frozen=True, kw_only=True):
    """`shell` is empty where no known shell is among our ancestors."""

    shell: str
    program: Place
    is_login: bool
    is_interactive: bool


def read_session() -> SessionFacts:
    """Look at our ancestors, the nearest shell first."""
    import psutil

    interactive = sys.stdin is not None and sys.stdin.isatty()
    try:
        process = psutil.Process(os.getppid())
        for _ in range(FAR_ENOUGH):
            words = process.cmdline() or [process.name()]
            name = os.path.basename(words[0]).lstrip("-")
            if name in SHELLS:
                login = words[0].startswith("-") or "-l" in words[1:] or "--login" in words[1:]
                return SessionFacts(
                    shell=name, program=Place(process.exe()), is_login=login, is_interactive=interactive
                )
            above = process.parent()
            if above is None:
                break
            process = above
    except (psutil.Error, OSError):
        pass
    return SessionFacts(shell="", program=Place(""), is_login=False, is_interactive=interactive)
