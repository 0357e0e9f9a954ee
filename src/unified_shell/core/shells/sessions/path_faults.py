"""What can be wrong with the entries of a search path, and what commands they offer."""

import os
import stat
from collections.abc import Sequence
from enum import Enum

from msgspec import Struct

from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_entry, is_executable_file

__all__ = ["FaultKind", "PathFault", "commands_in", "find_faults", "first_on"]


class FaultKind(Enum):
    """What can be wrong with an entry of a search path."""

    MISSING = "is not there"
    NOT_DIRECTORY = "is not a directory"
    DUPLICATE = "is there twice"
    RELATIVE = "is relative: it means another directory in each place"
    EMPTY = "is empty: it means the current directory"
    LITERAL_TILDE = "holds a literal ~, which programs do not expand"
    WRITABLE_BY_OTHERS = "can be written by others"
    UNREADABLE = "cannot be read"


class PathFault(Struct, frozen=True, kw_only=True):
    """One fault of one entry; `position` counts from 1."""

    position: int
    directory: Place
    kind: FaultKind


def find_faults(entries: Sequence[str]) -> tuple[PathFault, ...]:
    """Return the faults of a search path's entries, in order."""
    found, seen = [], set()
    for position, entry in enumerate(entries, 1):
        kind = FaultKind.DUPLICATE if entry in seen else _fault(entry)
        seen.add(entry)
        if kind is not None:
            found.append(PathFault(position=position, directory=Place(entry), kind=kind))
    return tuple(found)


def commands_in(directory: str) -> tuple[str, ...]:
    """Return the names of the commands that a directory offers, sorted; none where it cannot be read."""
    try:
        with os.scandir(directory) as entries:
            return tuple(sorted(one.name for one in entries if is_executable_entry(one)))
    except OSError:
        return ()


def first_on(entries: Sequence[str], command: str, *, but: str = "") -> str:
    """Return the file that a session with these entries would start, or nothing; `but` is passed over."""
    paths = (join(one, command) for one in entries if os.path.isabs(one) and one != but)
    return next((path for path in paths if is_executable_file(path)), "")


def _fault(entry: str) -> FaultKind | None:
    if not entry:
        return FaultKind.EMPTY
    if entry.startswith("~"):
        return FaultKind.LITERAL_TILDE
    if not os.path.isabs(entry):
        return FaultKind.RELATIVE
    try:
        facts = os.stat(entry)
    except FileNotFoundError:
        return FaultKind.MISSING
    except OSError:
        return FaultKind.UNREADABLE
    if not stat.S_ISDIR(facts.st_mode):
        return FaultKind.NOT_DIRECTORY
    # The sticky bit does not help: anybody may still put a new command there.
    return FaultKind.WRITABLE_BY_OTHERS if facts.st_mode & stat.S_IWOTH else None
