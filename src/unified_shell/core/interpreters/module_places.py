"""Whether a Python has a module, from files first: a compiled one for another version is seen without importing it."""

import os
import re
from collections.abc import Iterable, Sequence

from unified_shell.core.machine.places import Place, join

from .facts import InterpreterFacts

__all__ = ["distribution_folders", "foreign_extension", "place_of_module"]


def place_of_module(name: str, facts: InterpreterFacts, more: Sequence[str] = ()) -> Place | None:
    """Return the file of a module that the interpreter would import, or None; `more` are folders of PYTHONPATH."""
    parts = name.split(".")
    for folder in (*more, *facts.library_folders, *facts.site_folders):
        above = join(folder, *parts[:-1])
        for ending in (*facts.extension_suffixes, ".py", "/__init__.py"):
            path = join(above, f"{parts[-1]}{ending}")
            if os.path.isfile(path):
                return path
    return None


def foreign_extension(name: str, facts: InterpreterFacts, more: Sequence[str] = ()) -> Place | None:
    """Return a compiled module of that name which was made for another interpreter, or None."""
    parts = name.split(".")
    pattern = re.compile(rf"{re.escape(parts[-1])}\.[\w.-]*(so|pyd|dylib)")
    for folder in (*more, *facts.site_folders):
        above = join(folder, *parts[:-1])
        for one in _names(above):
            if pattern.fullmatch(one) and not any(one == parts[-1] + end for end in facts.extension_suffixes):
                return join(above, one)
    return None


def distribution_folders(folders: Iterable[str], project: str) -> tuple[Place, ...]:
    """Return the `.dist-info` folders of a project, whose name is compared as PEP 503 normalises it."""
    wanted = _normalised(project)
    found = []
    for folder in folders:
        for name in _names(folder):
            if name.endswith(".dist-info") and _normalised(name.removesuffix(".dist-info").split("-")[0]) == wanted:
                found.append(join(folder, name))
    return tuple(found)


def _normalised(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def _names(folder: str) -> list[str]:
    try:
        return sorted(os.listdir(folder))
    except OSError:
        return []
