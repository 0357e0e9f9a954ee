"""Finding the interpreters of this machine: on PATH, in the usual places, those that are kept, below given roots."""

import os
from collections.abc import Iterable, Sequence

from msgspec import Struct

from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.common_dirs import usual_folders
from unified_shell.core.machine.files.folder_walks import SYSTEM_TREES, folders_within
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.machine.programs.executables import FileKind, read_executable

from .adopted import read_adopted
from .answers import Answers
from .facts import InterpreterFacts
from .kept_facts import facts_or_trouble
from .managed import all_managed
from .other_languages import OtherInterpreter, ask_version
from .registered import registered_interpreters
from .searching import folders_below, identity, language_of, named_in

__all__ = ["AllInterpreters", "FoundInterpreter", "ask_interpreter", "discover", "find_interpreters"]

PYTHON = "python"
# Looking off the path is a courtesy: a slow volume must not hold up the answer.
SEARCH_SECONDS = 1.5


class FoundInterpreter(Struct, frozen=True, kw_only=True):
    """One Python and every name that leads to it, in path order.

    `facts` is None where it does not start; `trouble` then says why. `on_path` tells whether a session
    finds it; a `script` starts another program, which its facts describe.
    """

    names: tuple[Place, ...]
    on_path: bool
    script: bool
    facts: InterpreterFacts | None
    trouble: str = ""


class AllInterpreters(Struct, frozen=True, kw_only=True):
    """All interpreters: Python's, those on PATH first, then by version, newest first; and those of other languages."""

    python: tuple[FoundInterpreter, ...]
    others: tuple[OtherInterpreter, ...]


def ask_interpreter(path: Place, host: Host) -> tuple[str, str]:
    """Return the version of a file that is called as an interpreter is, and what is wrong with it, as `discover` judges.

    Both are empty for a file of another name.
    """
    language = language_of(os.path.basename(path))
    if not language:
        return "", ""
    answers = Answers(locations_of(host).cache)
    if language == PYTHON:
        found = _look_at_python([path], reachable=False, host=host, answers=answers)
        version, trouble = (found.facts.full_version if found.facts else ""), found.trouble
    else:
        other = ask_version(language, [path], answers, host, on_path=False)
        version, trouble = other.version, other.trouble
    answers.save()
    return version, "" if version else trouble


def find_interpreters(host: Host, more_folders: Iterable[str] = ()) -> tuple[FoundInterpreter, ...]:
    """Return the Pythons, those on PATH first, then by version, newest first."""
    return discover(host, more_folders, only_python=True).python


def discover(
    host: Host,
    more_folders: Iterable[str] = (),
    *,
    roots: Sequence[str] = (),
    only_python: bool = False,
    thorough: bool = False,
) -> AllInterpreters:
    """Return the interpreters; each is asked once, at the same time as others, unless its answer still holds.

    With `roots`, those below these folders and no others; `thorough` searches the trees too in which a look at a name
    searches, for as long.
    """
    locations = locations_of(host)
    answers = Answers(locations.cache)
    on_path = [one for one in host.search_path() if os.path.isabs(one)]
    if roots:
        folders: Iterable[str] = folders_below(roots)
    else:
        executables = (
            *(one.executable for one in all_managed(host, locations)),
            *(one.executable for one in read_adopted(locations)),
        )
        kept = [os.path.dirname(one) for one in executables]
        folders = dict.fromkeys([*on_path, *more_folders, *kept, *usual_folders(host), *_deep(host, thorough)])
    groups = named_in(folders)
    if not roots:
        _add_registered(groups, host)

    def look(item: tuple[tuple[str, str], list[Place]]) -> FoundInterpreter | OtherInterpreter:
        (language, _), names = item
        reachable = any(os.path.dirname(name) in on_path for name in names)
        if language == PYTHON:
            return _look_at_python(names, reachable=reachable, host=host, answers=answers)
        return ask_version(language, names, answers, host, on_path=reachable)

    wanted = [item for item in groups.items() if item[0][0] == PYTHON or not only_python]
    seen = map_at_once(look, wanted)
    answers.save()
    return AllInterpreters(
        python=tuple(sorted((one for one in seen if isinstance(one, FoundInterpreter)), key=_order)),
        others=tuple(sorted((one for one in seen if isinstance(one, OtherInterpreter)), key=_other_order)),
    )


def _deep(host: Host, thorough: bool) -> list[str]:  # noqa: FBT001 - handed on
    """Return folders of the person's and the system's trees that hold a file called as an interpreter is."""
    if not thorough:
        return []
    deadline = steady_seconds() + SEARCH_SECONDS
    below = (one for tree in (*SYSTEM_TREES, host.home) for one in folders_within(tree, deadline) if one is not None)
    return [one for one in below if any(language_of(name) for name in _names(one))]


def _names(folder: str) -> list[str]:
    try:
        return os.listdir(folder)
    except OSError:
        return []


def _add_registered(groups: dict[tuple[str, str], list[Place]], host: Host) -> None:
    for one in registered_interpreters(host):
        if os.path.exists(one.executable):
            names = groups.setdefault((PYTHON, identity(one.executable)), [])
            if one.executable not in names:
                names.append(one.executable)


def _look_at_python(names: list[Place], *, reachable: bool, host: Host, answers: Answers) -> FoundInterpreter:
    first = names[0]
    script = read_executable(first).kind is FileKind.SCRIPT
    facts, trouble = facts_or_trouble(first, host, answers, script=script)
    return FoundInterpreter(names=tuple(names), on_path=reachable, script=script, facts=facts, trouble=trouble)


def _order(found: FoundInterpreter) -> tuple[bool, bool, tuple[int, ...], str]:
    version = found.facts.version if found.facts else (0, 0, 0)
    return (found.facts is None, not found.on_path, tuple(-part for part in version), found.names[0])


def _other_order(found: OtherInterpreter) -> tuple[str, bool, str]:
    return (found.language, not found.on_path, found.names[0])
