"""Variables and session scripts of the wiring, as new sessions have them."""

import os
import re
from collections.abc import Iterator

from unified_shell.core.findings import Cause, Finding
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.planning.script_effects import ScriptEffects, try_script
from unified_shell.core.shells.sessions.path_faults import find_faults
from unified_shell.core.shells.startup.startup_files import read_startup_states
from unified_shell.core.shells.wiring.conditions import holds
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, not_tried, passed
from .directory_checks import absent_place
from .new_sessions import NewSession

__all__ = ["VARIABLE_CHECKS"]

# Each new session waits as long; a person notices a prompt that comes half a second late.
SLOW_SECONDS = 0.5


def has_value(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that new sessions have a variable, with the value that is wired; one that is not wired must be set."""
    wiring = around.wiring if around.wiring.variable(target.name) else around.shared_wiring
    wanted = wiring.variable(target.name)
    for one in around.sessions.opened:
        is_wired = (one.dialect.name, one.mode) in around.sessions.wired
        if one.session.trouble or (wanted is not None and not is_wired):
            continue
        value = dict(one.session.variables).get(target.name)
        question = f"has its value in a {one.title}"
        if wanted is None and value is not None:
            yield passed(target.name, f"is set in a {one.title}", around.shown(value))
        elif wanted is None:
            remedy = ush("variable", "add", target.name, "VALUE")
            yield fault(target.name, f"is set in a {one.title}", "it is not", Cause.VARIABLE_DIFFERS, remedy)
        elif not holds(wanted.when, one.mode, around.host):
            yield passed(target.name, f"{question}, only {wanted.when}", "not wanted there")
        elif value == wanted.value:
            yield passed(target.name, question)
        else:
            yield _other_value(target.name, value, one, around)


def _other_value(name: str, value: str | None, one: NewSession, around: Surroundings) -> Finding:
    where = _setting_line(name, one.dialect, one.mode, around)
    has = f"it is {around.shown(value)}" if value is not None else "it is not set"
    why = f"{has} in a {one.title}{f'; {where} sets it' if where else ''}"
    remedy = ush("shell", "wire", one.dialect.name, "--at-end")
    return fault(name, "has its value", why, Cause.VARIABLE_DIFFERS, remedy)


def _setting_line(name: str, dialect: Dialect, mode: Mode, around: Surroundings) -> str:
    """Return the last line of the person's startup files that sets or unsets a variable; empty where none is seen to."""
    pattern = re.compile(rf"\b(export\s+|setenv\s+|set\s+-\w*x\w*\s+|unset\s+)?{re.escape(name)}(=|\s|$)")
    found = ""
    for state in read_startup_states(dialect, around.host):
        content = read_file(state.real) if state.is_read and state.mode is mode else None
        for number, line in enumerate(content[0].decode("utf-8", "replace").splitlines() if content else (), 1):
            match = pattern.search(line)
            if match and (match[1] or match[2] == "=") and not line.lstrip().startswith("#"):
                found = f"{around.shown(state.path)}, line {number},"
    return found


def has_good_entries(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge the entries of a search path that somebody named: that each is there, once."""
    if not (target.name.endswith("PATH") or any(one.variable == target.name for one in around.wiring.entries)):
        return
    for one in around.sessions.opened:
        entries = one.session.search_path(target.name)
        faults = find_faults(entries)
        question = f"has good entries in a {one.title}"
        words = () if target.name == "PATH" else ("--variable", target.name)
        for each in faults:
            why = f"entry {each.position}, {around.shown(each.directory)}, {each.kind.value}"
            yield fault(target.name, question, why, Cause.BAD_ENTRY, ush("path", "list", *words))
        if entries and not faults:
            yield passed(target.name, question, f"{len(entries)} entries")


def script_works(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that a session script is there and comes to its end in a bare shell, quietly and soon."""
    subject, question = around.shown(target.name), "is there"
    script = next((one for one in around.wiring.scripts if one.file == target.name), None)
    drop = ush("shell", "unwire", "--script", target.name)
    if not os.path.isfile(target.name):
        why, cause = absent_place(target.name, around)
        yield fault(subject, question, why, Cause.SCRIPT_ABSENT if cause is Cause.DIRECTORY_ABSENT else cause, drop)
        return
    yield passed(subject, question)
    if script is None:
        return
    effects, question = try_script(script.file, script.dialect, around.host), f"works in {script.dialect}"
    if effects.trouble:
        yield fault(subject, question, effects.trouble, Cause.SCRIPT_FAILS, drop)
        return
    errors = [line for line in effects.printed if re.search(r"not found|No such file|[Ee]rror|denied", line)]
    if errors:
        yield fault(subject, question, errors[0], Cause.SCRIPT_FAILS, drop)
    else:
        more = f", and prints {len(effects.printed)} lines" if effects.printed else ""
        slow = (
            f"; each new session waits {effects.elapsed_seconds:.1f} s"
            if effects.elapsed_seconds > SLOW_SECONDS
            else ""
        )
        yield passed(
            subject,
            question,
            f"sets {len(effects.variables)} variables and {len(effects.directories)} directories{more}{slow}",
            seconds=effects.elapsed_seconds,
        )
    gone = [one for one in effects.directories if not os.path.isdir(one)]
    if gone:
        why = f"it puts {around.shown(gone[0])} on PATH, which does not exist"
        yield fault(subject, "puts directories on PATH that exist", why, Cause.DIRECTORY_ABSENT, drop)
    yield from _read_by(subject, effects, script.dialect, around)


def _read_by(subject: str, effects: ScriptEffects, dialect: str, around: Surroundings) -> Iterator[Finding]:
    variables, directories = effects.variables, effects.directories
    for one in around.sessions.opened:
        if dialect not in one.dialect.reads or (one.dialect.name, one.mode) not in around.sessions.wired:
            continue
        question = f"is read by a {one.title}"
        if one.session.trouble:
            continue
        if not (variables or directories):
            yield not_tried(subject, question, "it sets nothing that can be seen from outside")
            continue
        has, entries = dict(one.session.variables), one.session.search_path()
        lacking = [name for name in variables if name not in has]
        lacking += [each for each in directories if each not in entries]
        if lacking:
            why = f"a {one.title} has no {lacking[0]}"
            yield fault(subject, question, why, Cause.SCRIPT_NOT_READ, ush("shell", "wire", one.dialect.name))
        else:
            yield passed(subject, question)


VARIABLE_CHECKS = (
    Check(
        name="variable-value",
        kind=Kind.VARIABLE,
        asks="new sessions have a variable with the value that is wired",
        cost=Cost.SESSIONS,
        judge=has_value,
    ),
    Check(
        name="search-path-entries",
        kind=Kind.VARIABLE,
        asks="each entry of a search path is there, once, absolute, and only its owner can write it",
        cost=Cost.SESSIONS,
        judge=has_good_entries,
    ),
    Check(
        name="session-script",
        kind=Kind.SCRIPT,
        asks="a session script is there, comes to its end, and wired sessions have what it sets",
        cost=Cost.SESSIONS,
        judge=script_works,
    ),
)
