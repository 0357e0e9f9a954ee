"""Entries of the desktop's menu, followed to the program that they start.

Source: the Desktop Entry Specification (freedesktop), the keys Name, Exec, TryExec, Hidden; the folders
`applications` below the XDG data directories.
"""

import os
import shlex
from collections.abc import Mapping

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file

__all__ = ["MenuEntry", "menu_entries", "parse_desktop_entry"]

GROUP = "[Desktop Entry]"


class MenuEntry(Struct, frozen=True, kw_only=True):
    """A menu entry: its file, its title, and the real file that it starts; `starts` tells if that is there."""

    file: Place
    title: str
    program: Place
    starts: bool


def menu_entries(name: str, host: Host) -> tuple[MenuEntry, ...]:
    """Return the entries that start a command of this name, or whose title it is."""
    found = []
    for folder in _folders(host):
        try:
            names = sorted(one for one in os.listdir(folder) if one.endswith(".desktop"))
        except OSError:
            continue
        for one in names:
            try:
                with open(join(folder, one), encoding="utf-8", errors="replace") as file:
                    keys = parse_desktop_entry(file.read(200_000))
            except OSError:
                continue
            program = _program(keys)
            if name in (os.path.basename(program), keys.get("Name", "").lower()) and program:
                found.append(_entry(join(folder, one), keys, program, host))
    return tuple(found)


def parse_desktop_entry(text: str) -> dict[str, str]:
    """Return the keys of the main group; keys for languages keep their brackets."""
    keys: dict[str, str] = {}
    inside = False
    for line in text.splitlines():
        if line.startswith("["):
            inside = line.strip() == GROUP
        elif inside and "=" in line and not line.startswith("#"):
            key, _, value = line.partition("=")
            keys.setdefault(key.strip(), value.strip())
    return {} if keys.get("Hidden", "").lower() == "true" else keys


def _program(keys: Mapping[str, str]) -> str:
    try:
        words = shlex.split(keys.get("Exec", ""))
    except ValueError:
        return ""
    # `env NAME=value program` is common.
    while words and (os.path.basename(words[0]) == "env" or "=" in words[0]):
        words = words[1:]
    return words[0] if words else ""


def _entry(file: Place, keys: Mapping[str, str], program: str, host: Host) -> MenuEntry:
    paths = [program] if os.path.isabs(program) else [join(one, program) for one in host.search_path() if one]
    there = next((path for path in paths if is_executable_file(path)), "")
    real = Place(os.path.realpath(there)) if there else Place(program)
    return MenuEntry(file=file, title=keys.get("Name", ""), program=real, starts=bool(there))


def _folders(host: Host) -> tuple[Place, ...]:
    own = host.variable("XDG_DATA_HOME") or join(host.home, ".local/share")
    shared = host.variable("XDG_DATA_DIRS") or "/usr/local/share:/usr/share"
    return tuple(join(one, "applications") for one in (own, *shared.split(":")) if os.path.isabs(one))
