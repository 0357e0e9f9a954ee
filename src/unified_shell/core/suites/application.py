"""An application that brings its own interpreter: its interpreters, the folders of their modules, and its libraries' folders."""

import os
import re

from msgspec import Struct

from unified_shell.core.errors import UshError
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.languages import find_language
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.machine.programs.executables import FileKind, read_executable

__all__ = ["Application", "find_application", "own_interpreters"]

# Applications keep theirs near the top; a walk of all of a large one takes minutes.
MOST_DEEP = 5
MOST_FOLDERS = 12
MODULE = re.compile(r"^[A-Za-z_]\w*(\.(cpython-\w+|abi3)[\w-]*)?\.so$")


class Application(Struct, frozen=True, kw_only=True):
    """What was found, by places relative to its folder; of interpreters those that start, each file once."""

    interpreters: tuple[str, ...] = ()
    module_folders: tuple[str, ...] = ()
    library_folders: tuple[str, ...] = ()


def find_application(tree: Place, host: Host) -> Application:
    """Look into a folder for Python interpreters of its own and what belongs to them; empty where it has none."""
    interpreters = own_interpreters(tree, host)
    if not interpreters:
        return Application()
    own = [place for facts in interpreters for place in (*facts.library_folders, *facts.site_folders)]
    modules: list[str] = []
    libraries: list[str] = []
    for folder, _, names in _walk(tree):
        if any(lies_in(folder, one) for one in own):
            continue
        relative = os.path.relpath(folder, tree)
        if _has_modules(folder, names):
            modules.append(relative)
        if any(name.startswith("lib") and ".so" in name for name in names):
            libraries.append(relative)
    return Application(
        interpreters=tuple(os.path.relpath(facts.executable, tree) for facts in interpreters),
        module_folders=tuple(modules[:MOST_FOLDERS]),
        library_folders=tuple(libraries[:MOST_FOLDERS]),
    )


def own_interpreters(tree: Place, host: Host) -> tuple[InterpreterFacts, ...]:
    """Return the Python interpreters in a folder that start, each file once, the shortest path first."""
    python = find_language("python")
    assert python is not None
    found: dict[str, str] = {}
    for folder, _, names in _walk(tree):
        for name in sorted(names, key=len):
            path = join(folder, name)
            if python.is_executable_name(name) and os.access(path, os.X_OK):
                real = os.path.realpath(path)
                if lies_in(real, tree) and read_executable(real).kind is not FileKind.ABSENT:
                    found.setdefault(real, path)
    usable = []
    for place in found.values():
        try:
            facts = probe(place, host)
        except UshError:
            continue
        if not facts.environment_prefix:
            usable.append(facts)
    return tuple(sorted(usable, key=lambda one: len(one.executable)))


def _walk(tree: str) -> list[tuple[str, list[str], list[str]]]:
    found = []
    for folder, below, names in os.walk(tree):
        depth = 0 if folder == tree else os.path.relpath(folder, tree).count("/") + 1
        below[:] = sorted(one for one in below if not one.startswith(".") and one != "__pycache__")
        if depth >= MOST_DEEP:
            below.clear()
        found.append((folder, list(below), names))
    return found


def _has_modules(folder: str, names: list[str]) -> bool:
    """Tell whether a folder is one that an interpreter would look for modules in: packages or extension modules directly
    in it, and not itself a package.
    """
    if "__init__.py" in names:
        return False
    if any(MODULE.match(name) and not name.startswith("lib") for name in names):
        return True
    below = (join(folder, one) for one in sorted(os.listdir(folder)))
    return any(os.path.isfile(join(one, "__init__.py")) for one in below)
