"""Installers that a session finds by name, and which install into another Python than the one that it starts."""

import os
from collections.abc import Iterator

from unified_shell.core.environments.trees.installer_names import installer_commands
from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.findings import Cause, Finding
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.kept_facts import kept_facts
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.programs.executables import read_executable
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.sessions.path_faults import first_on
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, passed
from .new_sessions import NewSession

__all__ = ["INSTALLER_CHECKS"]


def installs_into_its_python(_target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that an installer's name, typed in a new session, is that of the Python which the session starts."""
    seen: set[tuple[str, str]] = set()
    for one in around.sessions.opened:
        python = first_on(one.session.search_path(), "python3")
        if one.session.trouble or not python:
            continue
        others = {name: file for name, file in _installers(one, around) if not _is_of(file, python)}
        for name, file in sorted(others.items()):
            if (file, python) in seen:
                continue
            seen.add((file, python))
            into = read_executable(file).interpreter
            answer = f"{name} installs into {around.shown(into)}; python3 is {around.shown(python)}"
            remedy = ush("look", name)
            yield fault(
                one.title, "installs into the Python that it starts", answer, Cause.INSTALLER_ELSEWHERE, remedy
            )
        if not others:
            yield passed(one.title, "installs into the Python that it starts")


def _installers(one: NewSession, around: Surroundings) -> Iterator[tuple[str, str]]:
    """Yield the names of installers that the Pythons on a session's path know of, with the files that answer there."""
    entries = one.session.search_path()
    names: set[str] = set()
    for folder in entries:
        place = Place(os.path.join(folder, "python3"))
        if os.path.isabs(folder) and os.access(place, os.X_OK):
            facts = _facts(place, around)
            names.update(installer_commands(facts.site_folders) if facts is not None else ())
    for name in names:
        file = first_on(entries, name)
        if file and os.path.basename(read_executable(file).interpreter).startswith("python"):
            yield name, file


def _facts(place: Place, around: Surroundings) -> InterpreterFacts | None:
    try:
        return kept_facts(place, around.host)
    except InterpreterUnusable:
        return None


def _is_of(file: str, python: str) -> bool:
    """Tell whether a script is started by a Python, whatever the names of both."""
    return os.path.realpath(read_executable(file).interpreter) == os.path.realpath(python)


INSTALLER_CHECKS = (
    Check(
        name="installer-own",
        kind=Kind.SESSIONS,
        asks="an installer that a session finds by name installs into the Python which that session starts",
        cost=Cost.PROGRAMS,
        judge=installs_into_its_python,
    ),
)
