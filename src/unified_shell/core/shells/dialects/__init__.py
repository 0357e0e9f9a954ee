"""One file for each shell dialect, and the lists of them."""

import os

from unified_shell.core.errors import UnknownName

from .bash import Bash
from .dialect import Dialect
from .fish import Fish
from .sh import Sh

__all__ = ["BASH", "ENTERABLE", "FISH", "SH", "WIRED", "dialect_named", "dialect_of_program"]

BASH, SH, FISH = Bash(), Sh(), Fish()
WIRED: tuple[Dialect, ...] = (BASH, SH)
ENTERABLE: tuple[Bash | Sh | Fish, ...] = (BASH, SH, FISH)


def dialect_named(name: str) -> Dialect:
    """Return the dialect that can be wired; raises UnknownName."""
    found = next((one for one in WIRED if one.name == name or name in one.programs), None)
    if found is None:
        known = [one.name for one in WIRED]
        raise UnknownName("shell that this version wires", name, known, next_step=f"wired are: {', '.join(known)}")
    return found


def dialect_of_program(program: str) -> Dialect | None:
    """Return the dialect that a shell's path or process name belongs to, or None."""
    name = os.path.basename(program).lstrip("-")
    return next((one for one in WIRED if name in one.programs), None)
