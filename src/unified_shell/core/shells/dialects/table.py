"""The dialects there are, and which one a name means."""

import os

from unified_shell.core.errors import UnknownName

from .bash import Bash
from .command_prompt import CommandPrompt
from .dialect import Dialect
from .fish import Fish
from .ksh import Ksh, Mksh
from .powershell import PowerShell
from .sh import Sh
from .tcsh import Tcsh
from .zsh import Zsh

__all__ = ["BASH", "DIALECTS", "FISH", "SH", "dialect_named", "dialect_of_program"]

BASH, SH, FISH = Bash(), Sh(), Fish()
DIALECTS: tuple[Dialect, ...] = (BASH, Zsh(), FISH, SH, Ksh(), Mksh(), Tcsh(), PowerShell(), CommandPrompt())


def dialect_named(name: str) -> Dialect:
    """Return a dialect by its name or that of a program; raises UnknownName."""
    found = next((one for one in DIALECTS if one.name == name or name in one.programs), None)
    if found is None:
        known = [one.name for one in DIALECTS]
        raise UnknownName("shell known here", name, known, next_step=f"known: {', '.join(known)}")
    return found


def dialect_of_program(program: str) -> Dialect | None:
    """Return the dialect that a shell's path or process name belongs to, or None."""
    name = os.path.basename(program).lstrip("-")
    return next((one for one in DIALECTS if name in one.programs), None)
