"""The interpreter that an environment is made on: whether it can be one, and its facts."""

import glob
import os

from unified_shell.core.errors import InterpreterUnusable, Refused
from unified_shell.core.interpreters.facts import OLDEST_BASE, InterpreterFacts
from unified_shell.core.interpreters.kept_facts import kept_facts
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, parent_folder
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.planning.everyone import check_for_everyone

from .registry import Environment

__all__ = ["EnvironmentToBe", "base_of", "check_base", "check_base_for"]

_KNOWN: dict[tuple[Place, int, int, int], InterpreterFacts] = {}


class EnvironmentToBe(Environment, frozen=True, kw_only=True):
    """An environment that is still to be made, with what its interpreter says, or will say when it is here too."""

    base: InterpreterFacts


def check_base(facts: InterpreterFacts) -> None:
    """Raise InterpreterUnusable for an interpreter that cannot be an environment's base."""
    if facts.version[:2] < OLDEST_BASE:
        raise InterpreterUnusable(
            f"{facts.title} is too old for an environment: its site and import machinery differ before 3.8",
            where=facts.executable,
            next_step=ush("interpreter", "list", why="those on this machine"),
        )
    if facts.environment_prefix:
        raise InterpreterUnusable(
            f"{facts.executable} belongs to the environment {facts.environment_prefix}; choose its base interpreter",
            next_step=ush("environment", "new", "NAME", "--interpreter", facts.real_executable),
        )
    folder = parent_folder(facts.real_executable, is_windows=facts.is_windows)
    if facts.is_windows and (found := glob.glob(join(glob.escape(folder), "python*._pth"))):
        raise InterpreterUnusable(
            f"{facts.title} is the form for embedding: its {os.path.basename(found[0])} fixes where modules come from, so"
            " it sees no environment",
            where=facts.executable,
            next_step=ush("interpreter", "list", why="choose a full one with --interpreter"),
        )


def check_base_for(facts: InterpreterFacts, locations: Locations) -> None:
    """Raise Refused where everyone's environment would stand on what others cannot read, or can write."""
    if locations.scope is not Scope.EVERYONE:
        return
    for place in dict.fromkeys((os.path.dirname(facts.real_executable), facts.base_prefix, *facts.library_folders)):
        try:
            check_for_everyone(place)
        except Refused as error:
            raise Refused(
                f"{facts.title} in {facts.base_prefix} cannot serve everyone: {error.message}",
                next_step=ush("interpreter", "list", why="then choose one that all can read with --interpreter"),
            ) from error


def base_of(environment: Environment, host: Host) -> InterpreterFacts:
    """Return the facts of an environment's interpreter; raises InterpreterUnusable where it is gone or changed, and
    Refused for one of another language, into which nothing is got.
    """
    if not environment.contents.is_python:
        raise Refused(
            f"{environment.name} is an environment of another language ({environment.contents.language}): ush gets"
            " packages for Python only, and changes nothing in it",
            next_step=ush("environment", "enter", environment.name, why="then use that language's own tools"),
        )
    if isinstance(environment, EnvironmentToBe):
        return environment.base
    anew = ush(
        "environment",
        "copy",
        environment.name,
        f"{environment.name}-anew",
        "--interpreter",
        "3",
        *environment.scope_words,
        why="what was requested is kept",
    )
    try:
        facts = _facts_once(environment.contents.interpreter, host)
    except InterpreterUnusable as error:
        raise InterpreterUnusable(
            f"the interpreter of the environment {environment.name} does not start: {error.message}", next_step=anew
        ) from error
    if facts.short_version != environment.short_version:
        raise InterpreterUnusable(
            f"{facts.real_executable} is {facts.title} now; the environment {environment.name} was made for"
            f" {environment.contents.python}",
            next_step=anew,
        )
    return facts


def _facts_once(executable: Place, host: Host) -> InterpreterFacts:
    """Return what an interpreter says, or said while nothing changed that it depends on; in this process read once while its
    file stays the same: plan and verification both ask.
    """
    try:
        found = os.stat(executable)
    except OSError:
        return probe(executable, host)
    key = (executable, found.st_ino, found.st_size, found.st_mtime_ns)
    if key not in _KNOWN:
        _KNOWN[key] = kept_facts(executable, host)
    return _KNOWN[key]
