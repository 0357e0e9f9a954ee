"""A file with a program header, or a script: whether the system would start it, and whether it then starts."""

import os
from collections.abc import Iterator, Mapping, Sequence

from packaging.specifiers import SpecifierSet
from packaging.version import InvalidVersion

from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.findings import Cause, Finding
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import typed
from unified_shell.core.machine.processes.system_packages import install_library_line
from unified_shell.core.machine.programs.elf import read_elf
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.machine.programs.shared_libraries import lacking_libraries
from unified_shell.core.next_steps import Command, NextStep, ush
from unified_shell.core.verification.names.launching import is_safe_to_start, launch
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, not_tried, passed

__all__ = ["FILE_CHECKS", "can_start", "launches", "version_outside"]


def can_start(
    file: str, around: Surroundings, entries: Sequence[str], library_path: Sequence[str] = ()
) -> Iterator[Finding]:
    """Judge a program from its file: header, interpreter, libraries as the loader would find them."""
    judged = judge_file(file, around.host, entries=entries, library_path=library_path)
    subject, question = around.shown(file), "can be started"
    if judged.state is State.READY:
        yield passed(subject, question, judged.kind.value)
        return
    remedy: NextStep = ush("look", file)
    if judged.cause is Cause.NOT_EXECUTABLE:
        remedy = Command(words=("chmod", "+x", file))
    elif judged.library:
        remedy = install_library_line(judged.library, around.host) or remedy
    elif judged.cause is Cause.INTERPRETER_ABSENT and b"\r" in (read_file(file) or (b"",))[0][:200]:
        remedy = Command(words=("sed", "-i", r"s/\r$//", file))
    yield fault(subject, question, judged.why, judged.cause, remedy)


def launches(file: str, bound: str, around: Surroundings, variables: Mapping[str, str]) -> Iterator[Finding]:
    """Judge a program by starting it, where that is safe or was asked for, and by the version that it then says."""
    subject, question = around.shown(file), "starts"
    if not (around.launch or is_safe_to_start(file)):
        why = "it does not name --version, so it could do anything"
        yield not_tried(subject, question, why, ush("verify", file, "--launch"))
        if bound:
            yield not_tried(subject, f"is of a version {bound}", "it was not started")
        return
    done = launch(file, variables)
    if done.trouble:
        remedy = f"{typed(file, around.host.home)} --version"
        yield fault(subject, question, done.trouble, Cause.FAILS_AT_START, remedy)
        return
    version = f"version {done.version}" if done.version else "yes"
    yield passed(subject, question, version, seconds=done.elapsed_seconds)
    if bound:
        yield version_outside(subject, done.version, bound, ush("look", os.path.basename(file)))


def version_outside(subject: str, version: str, bound: str, remedy: NextStep) -> Finding:
    """Return the finding whether a version is within a bound."""
    question = f"is of a version {bound}"
    if not version:
        return not_tried(subject, question, "it does not say its version")
    try:
        fits = SpecifierSet(bound).contains(version, prereleases=True)
    except InvalidVersion:
        return not_tried(subject, question, f"it says {version}, which is not a version that can be compared")
    if fits:
        return passed(subject, question, version)
    return fault(subject, question, f"it is {version}", Cause.VERSION_OUTSIDE, remedy)


def is_whole(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a file that somebody named: a program, a script, or a shared library."""
    file = target.name
    if not is_executable_file(file) and (".so" in os.path.basename(file)) and read_elf(file) is not None:
        lacks = lacking_libraries(file, around.host.search_path("LD_LIBRARY_PATH"))
        subject, question = around.shown(file), "finds the libraries that it needs"
        if lacks:
            missing = next((one.library for one in lacks if not one.version), "")
            cause = Cause.LIBRARY_ABSENT if missing else Cause.SYSTEM_TOO_OLD
            yield fault(subject, question, str(lacks[0]), cause, install_library_line(missing, around.host))
        else:
            yield passed(subject, question)
        return
    verdicts = list(can_start(file, around, around.host.search_path(), around.host.search_path("LD_LIBRARY_PATH")))
    yield from verdicts
    if all(one.passed for one in verdicts):
        yield from launches(file, target.bound, around, around.host.environment())


FILE_CHECKS = (
    Check(
        name="program-file",
        kind=Kind.FILE,
        asks="a program, script or shared library has all that it needs here",
        cost=Cost.PROGRAMS,
        judge=is_whole,
    ),
)
