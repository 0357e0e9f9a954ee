"""The names of things that are here, by their kind: read from the folders and files in which they are kept, and nothing else.

A name that cannot be read is left out: an answer to Tab is no place for an error.
"""

import contextlib
import os
from collections.abc import Callable, Iterator
from typing import Any

from unified_shell.core.machine.user_folders import UserFolders, session_variables, user_folders, uses_xdg

__all__ = ["folders_of_person", "names_of"]

Named = dict[str, str]
EVERYONE = "/opt/unified-shell/data"
SEARCH_PATHS = ("PATH", "PYTHONPATH", "MANPATH", "LD_LIBRARY_PATH", "PKG_CONFIG_PATH", "R_LIBS_USER", "LUA_PATH")
LANGUAGES = ("python", "r", "lua", "perl", "node", "ruby", "octave", "tcl")
SHELLS = ("bash", "zsh", "fish", "tcsh", "ksh", "mksh", "sh")
MOST_CHANGES = 30


def folders_of_person() -> UserFolders:
    """Return where this session's person has the files of ush."""
    variables = session_variables()
    return user_folders(variables, variables.get("HOME", "") or os.path.expanduser("~"), os.getcwd(), xdg=uses_xdg())


def names_of(kind: str, environment: str, folders: UserFolders) -> Named:
    """Return the names of a kind, each with a word about it; `environment` is the one that packages and programs are in."""
    readers: dict[str, Callable[[], Named]] = {
        "environments": lambda: _environments(folders),
        "packages": lambda: _packages(_prefix(environment, folders)),
        "programs": lambda: _programs(_prefix(environment, folders)),
        "interpreters": lambda: _interpreters(folders),
        "suites": lambda: _listed(f"{folders.data}/suites"),
        "offers": lambda: _offers() | _listed(f"{folders.data}/suites"),
        "indexes": lambda: dict.fromkeys(_toml(f"{folders.config}/config.toml").get("index", {}), "index"),
        "catalogs": lambda: dict.fromkeys(_toml(f"{folders.config}/config.toml").get("catalog", {}), "catalog"),
        "commands": lambda: dict.fromkeys(
            _toml(f"{folders.data}/wiring/commands.toml").get("command", {}), "command"
        ),
        "variables": lambda: dict.fromkeys(_toml(f"{folders.data}/wiring/me.toml").get("variable", {}), "variable"),
        "changes": lambda: _changes(folders),
        "starters": _starters,
        "topics": _topics,
        "languages": lambda: dict.fromkeys(LANGUAGES, "language"),
        "shells": lambda: dict.fromkeys(SHELLS, "shell"),
        "search-paths": lambda: dict.fromkeys(SEARCH_PATHS, "search path"),
    }
    reader = readers.get(kind)
    try:
        return reader() if reader is not None else {}
    except (OSError, ValueError, AttributeError, TypeError):
        return {}


def _toml(path: str) -> dict[str, Any]:
    import tomllib

    try:
        with open(path, "rb") as file:
            return tomllib.load(file)
    except (OSError, ValueError):
        return {}


def _listed(folder: str, about: str = "") -> Named:
    with contextlib.suppress(OSError):
        return {one.name: about for one in sorted(os.scandir(folder), key=lambda one: one.name) if _is_shown(one)}
    return {}


def _is_shown(one: "os.DirEntry[str]") -> bool:
    return one.is_dir() and not one.name.startswith(".")


def _environments(folders: UserFolders) -> Named:
    adopted = _toml(f"{folders.data}/environments.toml").get("adopted", {})
    return (
        _listed(f"{EVERYONE}/environments", "for everyone")
        | dict.fromkeys(adopted, "adopted")
        | _listed(f"{folders.data}/environments", "environment")
    )


def _prefix(environment: str, folders: UserFolders) -> str:
    """Return the folder of an environment: the one that was named, else the entered one, else the only one there is."""
    if not environment:
        if entered := session_variables().get("USH_ENVIRONMENT", ""):
            return entered
        names = list(_environments(folders))
        environment = names[0] if len(names) == 1 else ""
    adopted = _toml(f"{folders.data}/environments.toml").get("adopted", {})
    places = (
        f"{folders.data}/environments/{environment}",
        adopted.get(environment, ""),
        f"{EVERYONE}/environments/{environment}",
    )
    return next((one for one in places if environment and one and os.path.isdir(one)), "")


def _packages(prefix: str) -> Named:
    found: Named = {}
    for folder in _site_packages(prefix):
        for name in os.listdir(folder):
            if name.endswith(".dist-info"):
                project, _, version = name.removesuffix(".dist-info").partition("-")
                found[project.replace("_", "-").lower()] = version
    return dict(sorted(found.items()))


def _site_packages(prefix: str) -> Iterator[str]:
    library = f"{prefix}/lib"
    for name in os.listdir(library) if prefix and os.path.isdir(library) else ():
        if os.path.isdir(f"{library}/{name}/site-packages"):
            yield f"{library}/{name}/site-packages"


def _programs(prefix: str) -> Named:
    folder = f"{prefix}/bin"
    names = os.listdir(folder) if prefix and os.path.isdir(folder) else []
    return {name: "" for name in sorted(names) if os.access(f"{folder}/{name}", os.X_OK)}


def _interpreters(folders: UserFolders) -> Named:
    adopted = _toml(f"{folders.data}/interpreters/adopted.toml").get("interpreter", {})
    return dict.fromkeys(adopted, "adopted") | _listed(f"{folders.data}/interpreters", "interpreter")


def _offers() -> Named:
    """Return the suites of the catalog that is part of ush; what others offer would have to be asked for."""
    import tomllib

    found: Named = {}
    folder = os.path.join(os.path.dirname(__file__), "../../core/catalogs/starter")
    for name in sorted(os.listdir(folder)):
        with open(os.path.join(folder, name), "rb") as file:
            read = tomllib.load(file)
        if read.get("kind") == "suite":
            found[str(read["name"])] = str(read.get("summary", ""))
    return found


def _starters() -> Named:
    import json

    with open(
        os.path.join(os.path.dirname(__file__), "../../core/outfits/starter_files/starters.json"), "rb"
    ) as file:
        return {one["name"]: one["summary"] for one in json.load(file)}


def _topics() -> Named:
    found: Named = {}
    folder = os.path.join(os.path.dirname(__file__), "../manual/topic_texts")
    for name in sorted(os.listdir(folder)):
        with open(os.path.join(folder, name), encoding="utf-8") as file:
            found[name.removesuffix(".md")] = file.readline().strip("# \n")
    return found


def _changes(folders: UserFolders) -> Named:
    import sqlite3

    path = f"{folders.data}/journal.sqlite"
    if not os.path.isfile(path):
        return {}
    # Opened for reading alone: nothing here may touch the record.
    with contextlib.closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as record:
        rows = record.execute(
            "select number, words from entries where undoable = 1 order by number desc limit ?", (MOST_CHANGES,)
        ).fetchall()
    return {str(number): str(words) for number, words in rows}
