"""Entering an environment in new sessions."""

from collections.abc import Sequence

from unified_shell.core.environments.libraries.library_checks import interpreter_name
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.path_faults import first_on
from unified_shell.core.shells.sessions.sessions import BegunSession, Session, SideBySide

from .installed_metadata import read_installed

__all__ = ["check_entering"]


def check_entering(
    environment: Environment, modes: Sequence[tuple[Dialect, Mode]], host: Host
) -> tuple[Finding, ...]:
    """Enter the environment by its script in a new session of each of these shells and modes.

    One that something else made has no scripts of ours to enter it by.
    """
    if environment.foreign:
        return ()
    commands = sorted({name for one in read_installed(environment).values() for name in one.command_names})
    own = "python" if environment.contents.is_python else interpreter_name(environment.contents)
    with SideBySide([_entering(environment, *one, host) for one in modes]) as sessions:
        return tuple(_judged(one, environment, [own, *commands]) for one in sessions.results())


def _entering(environment: Environment, dialect: Dialect, mode: Mode, host: Host) -> BegunSession:
    enter = dialect.source_line(join(environment.prefix, dialect.enter_name))
    return BegunSession(dialect, mode, host, ask=lambda _file: enter)


def _judged(session: Session, environment: Environment, commands: Sequence[str]) -> Finding:
    subject = f"new {session.mode.value} {session.shell}"
    question = f"enters {environment.name} and finds its commands"
    if session.trouble:
        return Finding(
            subject=subject,
            question=question,
            verdict=Verdict.FAULT,
            answer=session.trouble,
            cause=Cause.SESSION_FAILS,
            remedy=ush("shell", "list"),
        )
    for command in commands:
        answer = first_on(session.search_path(), command)
        if answer != join(environment.layout.scripts, command):
            return Finding(
                subject=subject,
                question=question,
                verdict=Verdict.FAULT,
                answer=f"{command} is {answer}" if answer else f"it does not find {command}",
                cause=Cause.SHADOWED if answer else Cause.NOT_FOUND,
                remedy=ush("look", command),
            )
    return Finding(
        subject=subject,
        question=question,
        verdict=Verdict.PASSED,
        answer=f"{len(commands)} command{'s' if len(commands) != 1 else ''}, {commands[-1]} among them",
        elapsed_seconds=session.elapsed_seconds,
    )
