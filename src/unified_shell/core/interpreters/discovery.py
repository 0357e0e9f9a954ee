"""Finding the Python interpreters of this machine: on PATH and in the usual places, each probed once."""

import os
import re
from collections.abc import Iterable
from dataclasses import dataclass

from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.machine.executables import FileKind, read_executable
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.pool import map_at_once
from unified_shell.core.machine.usual_places import usual_folders

from .facts import InterpreterFacts, probe
from .registered import registered_interpreters

__all__ = ["FoundInterpreter", "find_interpreters"]

NAME = re.compile(r"^python(\d(\.\d+)?t?)?$")


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundInterpreter:
    """One interpreter and every name that leads to it, in path order.

    `facts` is None where it does not start; `trouble` then says why. `on_path` tells whether a session
    finds it; a `script` starts another program, which its facts describe.
    """

    names: tuple[Place, ...]
    on_path: bool
    script: bool
    facts: InterpreterFacts | None
    trouble: str = ""


def find_interpreters(host: Host, more_folders: Iterable[str] = ()) -> tuple[FoundInterpreter, ...]:
    """Return the interpreters, those on PATH first, then by version, newest first."""
    on_path = [one for one in host.search_path() if one.startswith("/")]
    folders = dict.fromkeys([*on_path, *more_folders, *usual_folders(host)])
    groups: dict[str, list[Place]] = {}
    for folder in folders:
        for name in _names_in(folder):
            path = join(folder, name)
            groups.setdefault(_identity(path), []).append(path)
    for one in registered_interpreters(host):
        if os.path.exists(one.executable):
            names = groups.setdefault(_identity(one.executable), [])
            if one.executable not in names:
                names.append(one.executable)
    found = map_at_once(lambda names: _look(names, on_path, host), groups.values())
    return tuple(sorted(found, key=_order))


def _names_in(folder: str) -> list[str]:
    try:
        return sorted(name for name in os.listdir(folder) if NAME.match(name))
    except OSError:
        return []


def _identity(path: str) -> str:
    # Names that lead to one file are one interpreter. An environment's link is one of its own: which
    # environment it is depends on the name it is started by.
    folder = os.path.dirname(os.path.realpath(os.path.dirname(path)))
    is_environment = os.path.isfile(join(folder, "pyvenv.cfg"))
    return f"{folder}\0{os.path.realpath(path)}" if is_environment else os.path.realpath(path)


def _look(names: list[Place], on_path: list[str], host: Host) -> FoundInterpreter:
    first = names[0]
    script = read_executable(first).kind is FileKind.SCRIPT
    reachable = any(os.path.dirname(name) in on_path for name in names)
    try:
        facts, trouble = probe(first, host), ""
    except InterpreterUnusable as error:
        facts, trouble = None, error.what.partition(": ")[2]
    return FoundInterpreter(names=tuple(names), on_path=reachable, script=script, facts=facts, trouble=trouble)


def _order(found: FoundInterpreter) -> tuple[bool, bool, tuple[int, ...], str]:
    version = found.facts.version if found.facts else (0, 0, 0)
    return (found.facts is None, not found.on_path, tuple(-part for part in version), found.names[0])
