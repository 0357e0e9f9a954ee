"""New sessions: each opens, reads the wiring as it is now, and its startup files are right."""

import os
from collections.abc import Iterator

from unified_shell.core.changes.blocks import BlockState
from unified_shell.core.findings import Cause, Finding, Mend, MendKind
from unified_shell.core.machine.locations import Scope
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables
from unified_shell.core.shells.startup.hook_placing import place_hook
from unified_shell.core.shells.startup.startup_files import StartupState, read_startup_states
from unified_shell.core.shells.wiring.session_files import session_file_steps, stamp_of
from unified_shell.core.verification.targets.target import Kind, Target

from .check import Check, Cost, Surroundings, fault, passed
from .new_sessions import NewSession

__all__ = ["SESSION_CHECKS", "startup_states"]

# A file is read, not run.
SYNTAX_SECONDS = 10.0


def opens(_target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that a person reaches a prompt."""
    for one in around.sessions.opened:
        session = one.session
        if session.trouble:
            remedy = ush("shell", "list", why="the startup files that it reads")
            yield fault(one.title, "opens", session.trouble, Cause.SESSION_FAILS, remedy)
        else:
            yield passed(one.title, "opens", seconds=session.elapsed_seconds)


def is_hooked_up(_target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that what is wired can reach the person's own shells: that their startup files have the hook-up."""
    if around.wiring.is_empty:
        return
    for one in around.sessions.opened:
        question = "has the hook-up in a startup file that it reads"
        if (one.dialect.name, one.mode) in around.sessions.wired:
            yield passed(one.title, question)
            continue
        states = [each for each in read_startup_states(one.dialect, around.host) if each.mode is one.mode]
        damaged = next((each for each in states if each.block is BlockState.DAMAGED), None)
        hidden = next((each for each in states if each.hidden and each.block is BlockState.WHOLE), None)
        why = "no startup file that it reads has the hook-up"
        if damaged is not None:
            why = f"the hook-up in {around.shown(damaged.path)} is {damaged.block.value}"
        elif hidden is not None:
            why = f"{around.shown(hidden.path)} has it, but another file is read instead"
        name = one.dialect.name
        mend = None if damaged is not None else Mend(MendKind.SHELLS, name)
        yield fault(one.title, question, why, Cause.NOT_HOOKED_UP, ush("shell", "wire", name), mend=mend)


def reads_wiring(_target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that a session which has the hook-up comes to it, and reads the wiring as it is now."""
    if around.wiring.is_empty:
        return
    stale = session_file_steps(around.wiring, around.locations, around.host.home)
    question = "session files hold the wiring"
    if stale:
        answer = f"{around.shown(stale[0].path)} was changed or is gone"
        shells = around.sessions.own
        remedy = ush("shell", "wire", *(one.name for one in shells))
        mend = Mend(MendKind.SHELLS, shells[0].name) if shells else None
        yield fault("wiring", question, answer, Cause.SESSION_FILE_DIFFERS, remedy, mend=mend)
        return
    yield passed("wiring", question)
    name, stamp = stamp_of(around.wiring, Scope.ME)
    for one in around.sessions.opened:
        if one.session.trouble or (one.dialect.name, one.mode) not in around.sessions.wired:
            continue
        if dict(one.session.variables).get(name, "") == stamp:
            yield passed(one.title, "reads the wiring")
        else:
            yield _not_reached(one, around)


def _not_reached(one: NewSession, around: Surroundings) -> Finding:
    states = [each for each in read_startup_states(one.dialect, around.host) if each.mode is one.mode]
    file = next((each for each in states if each.is_read and each.block is BlockState.WHOLE), None)
    where = around.shown(file.path) if file is not None else "its startup file"
    line = place_hook(file.path, one.dialect, [(one.dialect, one.mode)], around.host).line if file is not None else 0
    other = os.path.basename(one.session.answered_by)
    if other and other not in one.dialect.programs:
        why = f"a startup file starts {other} instead"
    elif line:
        why = f"{where}, line {line}, leaves the file before the hook-up"
    else:
        why = f"{where} leaves, or undoes it, before the hook-up's end"
    name = one.dialect.name
    remedy = (ush("shell", "unwire", name), "then", ush("shell", "wire", name, why="puts it where it is reached"))
    return fault(one.title, "reads the wiring", why, Cause.HOOK_UP_NOT_REACHED, remedy)


def has_valid_files(_target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge that the shell itself finds no syntax error in the startup files that it reads."""
    seen: set[tuple[str, str]] = set()
    for one in around.sessions.opened:
        for state in read_startup_states(one.dialect, around.host):
            if state.is_read and not state.system and (one.dialect.name, state.real) not in seen:
                seen.add((one.dialect.name, state.real))
                yield from _syntax(one.dialect, state, around)


def _syntax(dialect: Dialect, state: StartupState, around: Surroundings) -> Iterator[Finding]:
    program = find_program(dialect, around.host)
    words = dialect.syntax_check(state.real)
    if program is None or not words:
        return
    variables = fresh_variables(around.host, program)
    ran = run_program((program, *words), environment=variables, timeout_seconds=SYNTAX_SECONDS)
    name = around.shown(state.path)
    if ran.returncode:
        error = ran.trouble.replace(state.real, name)
        remedy = f"correct it in {name}"
        yield fault(name, f"is valid for {dialect.name}", error, Cause.STARTUP_SYNTAX, remedy)
    else:
        yield passed(name, f"is valid for {dialect.name}")


def startup_states(path: str, around: Surroundings) -> list[tuple[Dialect, StartupState]]:
    """Return what a file is to each of the person's shells."""
    real = os.path.realpath(path)
    return [
        (dialect, state)
        for dialect in dict.fromkeys(one.dialect for one in around.sessions.opened)
        for state in read_startup_states(dialect, around.host)
        if state.real == real
    ]


def is_read(target: Target, around: Surroundings) -> Iterator[Finding]:
    """Judge a startup file: that it is read in some session, whole, and valid."""
    name = around.shown(target.name)
    states = startup_states(target.name, around)
    readers = [f"{state.mode.value} {dialect.name}" for dialect, state in states if state.is_read]
    question = "is read by new sessions"
    if readers:
        yield passed(name, question, ", ".join(dict.fromkeys(readers)))
    else:
        why = "another file of the same shell is read instead" if states else "none of your shells reads it"
        yield fault(name, question, why, Cause.FILE_NOT_READ, ush("shell", "list"))
    damaged = next((state for _, state in states if state.block is BlockState.DAMAGED), None)
    if damaged is not None:
        why = f"the hook-up in it is {damaged.block.value}"
        remedy = f'remove the lines with "#(ush)" from {name}'
        yield fault(name, "has a whole hook-up", why, Cause.NOT_HOOKED_UP, remedy)
    for dialect in dict.fromkeys(dialect for dialect, _ in states):
        yield from _syntax(dialect, next(state for each, state in states if each is dialect), around)


SESSION_CHECKS = (
    Check(
        name="session-opens",
        kind=Kind.SESSIONS,
        asks="each new session comes to a prompt at a terminal",
        cost=Cost.SESSIONS,
        judge=opens,
    ),
    Check(
        name="hooked-up",
        kind=Kind.SESSIONS,
        asks="a startup file of each of your shells has the hook-up",
        cost=Cost.FILES,
        judge=is_hooked_up,
    ),
    Check(
        name="wiring-read",
        kind=Kind.SESSIONS,
        asks="session files hold the wiring, and each wired session reads it",
        cost=Cost.SESSIONS,
        judge=reads_wiring,
    ),
    Check(
        name="startup-syntax",
        kind=Kind.SESSIONS,
        asks="startup files have no syntax error",
        cost=Cost.PROGRAMS,
        judge=has_valid_files,
    ),
    Check(
        name="startup-file",
        kind=Kind.STARTUP_FILE,
        asks="a startup file is read, has a whole hook-up or none, and no syntax error",
        cost=Cost.PROGRAMS,
        judge=is_read,
    ),
)
