"""Carrying out a check that somebody wrote: tried as they would type it, within its limits, in their session's variables."""

import os
import re
import tempfile
from collections.abc import Mapping

from msgspec import Struct
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.version import InvalidVersion

from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.next_steps import NextStep

from .expectation import Expectation
from .expected_files import file_trouble
from .kernels import run_cell
from .needed_things import lacking_need
from .services import service_trouble

__all__ = ["Setting", "carry_out"]

VERSION = re.compile(r"\d+(\.\d+)+\w*")
DEFAULT_CELL = "print(6 * 7)"
# Whatever the exit code: what a shell or loader says of something that is not there.
NOT_FOUND = re.compile(r": (command )?not found$|cannot open shared object file", re.MULTILINE)


class Setting(Struct, frozen=True, kw_only=True):
    """In what a check is tried: the variables of a session, the folder that relative names begin in, the program that
    imports modules and runs scripts, and the words by which it imports one (`{name}`), with what it reads then.
    """

    variables: Mapping[str, str]
    folder: str
    python: str
    import_words: tuple[str, ...] = ("-c", "import {name}")
    import_input: str = ""
    host: Host


class _Outcome(Struct, frozen=True, kw_only=True):
    """What is wrong, with its cause, or why something was not tried; all empty where it is right."""

    trouble: str = ""
    cause: Cause = Cause.UNKNOWN
    not_tried: str = ""
    answer: str = "yes"
    elapsed_seconds: float = 0.0


def carry_out(check: Expectation, subject: str, setting: Setting, *, remedy: NextStep = "") -> Finding:
    """Carry out a check and return its finding; `remedy` is what is typed where it fails."""
    lacking = lacking_need(check.needs, setting.host)
    outcome = _Outcome(not_tried=lacking) if lacking else _tried(check, setting)
    verdict = Verdict.PASSED
    if outcome.trouble:
        verdict = Verdict.FAULT
    elif outcome.not_tried:
        verdict = Verdict.NOT_TRIED
    return Finding(
        subject=subject,
        question=check.title,
        verdict=verdict,
        answer=outcome.trouble or outcome.not_tried or outcome.answer,
        cause=outcome.cause,
        remedy=remedy if outcome.trouble else "",
        elapsed_seconds=outcome.elapsed_seconds,
    )


def _tried(check: Expectation, setting: Setting) -> _Outcome:
    with tempfile.TemporaryDirectory(prefix="ush-check-") as scratch:
        folder = join(setting.folder, check.folder) if check.folder else scratch
        if not os.path.isdir(folder):
            return _Outcome(trouble=f"its folder {folder} does not exist", cause=Cause.DIRECTORY_ABSENT)
        if check.serves:
            trouble = service_trouble(
                (_program(check.serves[0], setting), *check.serves[1:]),
                port=check.port,
                url=check.url,
                variables=setting.variables,
                folder=folder,
                limit_seconds=check.limit_seconds,
            )
            return _Outcome(trouble=trouble, cause=Cause.SERVICE_SILENT if trouble else Cause.UNKNOWN)
        if check.kernel:
            return _kernel(check, setting)
        if check.module:
            return _module(check, setting, folder)
        return _command(check, setting, folder)


def _kernel(check: Expectation, setting: Setting) -> _Outcome:
    argv = (setting.python, "-m", "ipykernel_launcher", "-f", "{connection_file}")
    ran = run_cell(argv, check.cell or DEFAULT_CELL, setting.variables, limit_seconds=check.limit_seconds)
    if ran.not_tried:
        return _Outcome(not_tried=ran.not_tried)
    if ran.trouble:
        return _Outcome(trouble=ran.trouble, cause=Cause.KERNEL_FAILS)
    wanted = check.prints or ("" if check.cell else "42")
    if wanted and ran.printed.strip() != wanted.strip():
        return _Outcome(trouble=f"the cell printed {ran.printed.strip()!r}", cause=Cause.OUTPUT_DIFFERS)
    return _Outcome(answer=ran.printed.strip() or "yes")


def _module(check: Expectation, setting: Setting, folder: str) -> _Outcome:
    words = tuple(word.replace("{name}", check.module) for word in setting.import_words)
    given = setting.import_input.replace("{name}", check.module)
    if check.expression:
        words = ("-c", f"import {check.module}\nassert ({check.expression}), 'it is not true'")
    ran = _run((setting.python, *words), check, setting, folder, given=given)
    if ran.returncode == 0:
        return _Outcome(elapsed_seconds=ran.elapsed_seconds)
    return _Outcome(trouble=ran.trouble, cause=_limit(ran, Cause.MODULE_FAILS), elapsed_seconds=ran.elapsed_seconds)


def _command(check: Expectation, setting: Setting, folder: str) -> _Outcome:
    words = check.command or (setting.python, join(setting.folder, check.script))
    ran = _run((_program(words[0], setting), *words[1:]), check, setting, folder, given=check.input)
    said = (ran.output + b"\n" + ran.errors).decode("utf-8", "replace")
    trouble, cause = _wrong_end(check, ran, said)
    if not trouble:
        trouble, cause = _wrong_words(check, ran, said)
    not_tried = ""
    if not trouble:
        for one in check.makes:
            trouble, left = file_trouble(one, folder)
            not_tried = not_tried or left
            if trouble:
                cause = Cause.FILE_DIFFERS
                break
    return _Outcome(
        trouble=trouble,
        cause=cause if trouble else Cause.UNKNOWN,
        not_tried=not_tried,
        elapsed_seconds=ran.elapsed_seconds,
    )


def _wrong_end(check: Expectation, ran: Ran, said: str) -> tuple[str, Cause]:
    if ran.returncode is None or ran.returncode < 0:
        if ran.not_started == "is not there":
            return f"{(check.command or (check.script,))[0]} is not found in a new session", Cause.NOT_FOUND
        return ran.trouble, _limit(ran, Cause.FAILS_AT_START)
    if ran.returncode not in check.exit_codes:
        return ran.trouble or f"ended with exit code {ran.returncode}", _limit(ran, Cause.FAILS_AT_START)
    line = NOT_FOUND.search(said)
    if line and not check.says and not check.pattern:
        lost = next(one for one in said.splitlines() if NOT_FOUND.search(one))
        return f"it says: {lost.strip()}", Cause.FAILS_AT_START
    return "", Cause.UNKNOWN


def _wrong_words(check: Expectation, ran: Ran, said: str) -> tuple[str, Cause]:
    printed = ran.output.decode("utf-8", "replace")
    if check.prints and printed.strip() != check.prints.strip():
        return f"it prints {printed.strip()[:200]!r}", Cause.OUTPUT_DIFFERS
    if check.says and check.says not in said:
        return f"it does not say {check.says!r}", Cause.OUTPUT_DIFFERS
    if check.pattern and not re.search(check.pattern, said, re.MULTILINE):
        return f"nothing that it says fits {check.pattern!r}", Cause.OUTPUT_DIFFERS
    wrong = next((one for one in check.never_says if one in said), "")
    if wrong:
        return f"it says {wrong!r}", Cause.OUTPUT_DIFFERS
    return _wrong_version(check, said) if check.version else ("", Cause.UNKNOWN)


def _wrong_version(check: Expectation, said: str) -> tuple[str, Cause]:
    found = re.search(check.version_pattern, said) if check.version_pattern else VERSION.search(said)
    version = (found[1] if check.version_pattern and found.groups() else found[0]) if found else ""
    try:
        fits = bool(version) and SpecifierSet(_as_bound(check.version)).contains(version, prereleases=True)
    except (InvalidVersion, InvalidSpecifier):
        fits = False
    return (
        ("", Cause.UNKNOWN)
        if fits
        else (
            f"it says {version or 'no version'}, not {check.version}",
            Cause.VERSION_OUTSIDE,
        )
    )


def _as_bound(text: str) -> str:
    """Return a bound; a bare version stands for itself and what follows it, as 5.4 does for 5.4.7."""
    return text if text[:1] in "<>=!~" else f"=={text}.*"


def _limit(ran: Ran, otherwise: Cause) -> Cause:
    memory = b"MemoryError" in ran.errors or b"annot allocate memory" in ran.errors
    return Cause.LIMIT_EXCEEDED if ran.timed_out or ran.floods or memory else otherwise


def _run(words: tuple[str, ...], check: Expectation, setting: Setting, folder: str, *, given: str) -> Ran:
    if check.limit_bytes:
        # The shell's own limit: it holds for all that the command starts.
        limit = f'ulimit -v {check.limit_bytes // 1024}; exec "$@"'
        words = ("/bin/sh", "-c", limit, "sh", *words)
    return run_program(
        words,
        environment=setting.variables,
        timeout_seconds=check.limit_seconds,
        directory=folder,
        given=given.encode("utf-8", "surrogateescape"),
        with_descendants=True,
    )


def _program(name: str, setting: Setting) -> str:
    """Return the file that a session would start for a name; a name with a slash is one in the setting's folder."""
    if "/" in name:
        return join(setting.folder, name)
    entries = setting.variables.get("PATH", "").split(os.pathsep)
    paths = (join(one, name) for one in entries if os.path.isabs(one))
    return next((path for path in paths if os.access(path, os.X_OK) and os.path.isfile(path)), name)
