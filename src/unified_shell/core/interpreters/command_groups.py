"""The names that belong to an interpreter: they are decided on, wired and dropped together."""

import os

from unified_shell.core.commands.preferred import Choice
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file, read_executable

from .languages import languages

__all__ = ["choice_of"]

# Folders that hold a system's programs beside an interpreter's own.
SHARED = ("/bin", "/usr/bin", "/usr/local/bin", "/sbin", "/usr/sbin")


def choice_of(name: str, candidate: Place) -> Choice:
    """Return the choice of a candidate for a name, with all names of its unit where it is an interpreter."""
    if not _is_interpreter(os.path.basename(candidate)):
        return Choice(name=name, candidate=candidate, names=(name,))
    folder = os.path.dirname(candidate)
    own = [one for one in _commands(folder) if _belongs(join(folder, one), candidate, shared=folder in SHARED)]
    return Choice(name=name, candidate=candidate, names=tuple(dict.fromkeys((name, *own))))


def _belongs(path: str, interpreter: str, *, shared: bool) -> bool:
    if os.path.realpath(path) == os.path.realpath(interpreter):
        return True
    if not shared:
        return True
    # Beside others' programs, only scripts that name this very interpreter; tools of the system name it too, but
    # they do not end with its version.
    suffix = os.path.basename(os.path.realpath(interpreter)).lstrip("abcdefghijklmnopqrstuvwxyz")
    script = read_executable(path).interpreter
    return bool(suffix) and path.endswith(suffix) and os.path.realpath(script or "/") == os.path.realpath(interpreter)


def _commands(folder: str) -> list[str]:
    try:
        return sorted(one for one in os.listdir(folder) if is_executable_file(join(folder, one)))
    except OSError:
        return []


def _is_interpreter(name: str) -> bool:
    return any(one.is_executable_name(name) for one in languages())
