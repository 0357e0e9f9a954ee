"""Files that are called as interpreters are: in folders, and below given roots in bounded depth."""

import os
import re
from collections.abc import Iterable
from functools import cache

from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.machine.programs.program_names import command_stem

from .languages import languages

__all__ = ["folders_below", "identity", "language_of", "named_in"]

# Deeper than `~/opt/NAME/VERSION/bin`, with some to spare.
MAX_DEPTH = 6
SKIPPED = frozenset({"node_modules", "__pycache__", "site-packages", "dist-packages", "proc", "sys", ".git"})


def named_in(folders: Iterable[str]) -> dict[tuple[str, str], list[Place]]:
    """Return the paths in these folders, by language and identity: names that lead to one file are together."""
    groups: dict[tuple[str, str], list[Place]] = {}
    for folder in folders:
        for name, language in _names_in(folder):
            path = join(folder, name)
            same = groups.setdefault((language, identity(path)), [])
            # One folder is often reached by two names, such as /bin and /usr/bin.
            if all(
                os.path.basename(one) != name or not os.path.samefile(os.path.dirname(one), folder) for one in same
            ):
                same.append(path)
    return groups


def identity(path: str) -> str:
    """Return what makes two paths one interpreter.

    An environment's link is one of its own: which environment it is depends on the name it is started by.
    """
    folder = os.path.dirname(os.path.realpath(os.path.dirname(path)))
    real = os.path.realpath(path)
    if os.path.isfile(join(folder, "pyvenv.cfg")):
        return f"{folder}\0{real}"
    try:
        # Second names (hard links) in one folder; the same file in two trees is two interpreters.
        return f"{os.path.dirname(real)}\0{os.stat(real).st_ino}"
    except OSError:
        return real


def folders_below(roots: Iterable[str]) -> list[Place]:
    """Return the folders below these roots that hold a file called as an interpreter is."""
    found: list[Place] = []
    for root in roots:
        for folder, below, names in os.walk(root):
            depth = folder[len(root) :].count("/")
            below[:] = [] if depth >= MAX_DEPTH else sorted(one for one in below if one not in SKIPPED)
            if any(language_of(name) for name in names):
                found.append(Place(folder))
    return found


def _names_in(folder: str) -> list[tuple[str, str]]:
    try:
        names = os.listdir(folder)
    except OSError:
        return []
    found = sorted((name, language) for name in names if (language := language_of(name)))
    # A manual page is called as what it is about; a link that dangles was an interpreter once.
    return [one for one in found if is_executable_file(path := join(folder, one[0])) or os.path.islink(path)]


def language_of(name: str) -> str:
    """Return the language whose interpreters are called so, or an empty text."""
    found = _pattern().fullmatch(command_stem(name))
    return (found.lastgroup or "") if found else ""


@cache
def _pattern() -> re.Pattern[str]:
    rows = [f"(?P<{one.name}>{'|'.join(_without_groups(p) for p in one.executables)})" for one in languages()]
    return re.compile("|".join(rows))


def _without_groups(pattern: str) -> str:
    return re.sub(r"\((?!\?)", "(?:", pattern)
