"""Interpreters that are managed or were adopted: each starts, is still what it was, and stands on its own."""

import os
from collections.abc import Iterator

from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.findings import Cause, Finding
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.discovery import ask_interpreter
from unified_shell.core.interpreters.getting.proofs import prove
from unified_shell.core.interpreters.managed import all_managed
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.interpreters.searching import language_of
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, passed
from .directory_checks import absent_place
from .file_checks import can_start, version_outside

__all__ = ["INTERPRETER_CHECKS"]


def is_itself(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a managed interpreter by what it loads, an adopted one by what it says it is."""
    kept = next((one for one in all_managed(around.host, around.locations) if one.name == target.name), None)
    get = ush("interpreter", "list", why="others here")
    if kept is not None:
        yield from prove(kept, around.host)
        if target.bound:
            yield version_outside(f"interpreter {kept.name}", kept.version, target.bound, get)
        return
    adopted = next((one for one in read_adopted(around.locations) if one.name == target.name), None)
    if adopted is None:
        return
    subject, question = f"interpreter {adopted.name}", "starts, and is the version that was adopted"
    drop = (ush("interpreter", "drop", adopted.name), "then", ush("interpreter", "adopt", adopted.executable))
    if not os.path.exists(adopted.executable):
        why, cause = absent_place(adopted.executable, around)
        cause = Cause.BASE_GONE if cause is Cause.DIRECTORY_ABSENT else cause
        yield fault(subject, question, f"{around.shown(adopted.executable)}: {why}", cause, drop)
        return
    verdicts = [one for one in can_start(adopted.executable, around, around.host.search_path()) if one.is_fault]
    yield from verdicts
    if verdicts:
        return
    version, trouble = _said(adopted.executable, around)
    if trouble:
        yield fault(subject, question, trouble, Cause.FAILS_AT_START, drop)
    elif version != adopted.version:
        yield fault(subject, question, f"it is {version} now, not {adopted.version}", Cause.BASE_CHANGED, drop)
    else:
        yield passed(subject, question, version)
    if target.bound and version:
        yield version_outside(subject, version, target.bound, get)


def _said(executable: Place, around: Surroundings) -> tuple[str, str]:
    if language_of(os.path.basename(executable)) not in ("", "python"):
        return ask_interpreter(executable, around.host)
    try:
        return probe(executable, around.host).full_version, ""
    except InterpreterUnusable as error:
        return "", error.message


INTERPRETER_CHECKS = (
    Check(
        name="interpreter-itself",
        kind=Kind.INTERPRETER,
        asks="an interpreter starts, is the version that it was, and loads nothing from where it was built",
        cost=Cost.PROGRAMS,
        judge=is_itself,
    ),
)
