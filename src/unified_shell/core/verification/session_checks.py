"""The checks that need a new session: it opens, has what the wiring wants, and enters an environment."""

from collections.abc import Sequence

from unified_shell.core.environments.libraries.library_checks import interpreter_name
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.findings import Finding, Verdict, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join, shown
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.sessions import Session, open_session
from unified_shell.core.shells.startup.hookup import chosen_shells, wired_modes
from unified_shell.core.shells.wiring.conditions import holds
from unified_shell.core.shells.wiring.wiring import Wiring, read_wiring
from unified_shell.core.verification.packages.installed_metadata import read_installed

__all__ = ["check_sessions", "check_wired_sessions"]


def check_sessions(environment: Environment, host: Host, locations: Locations) -> tuple[Finding, ...]:
    """Open a new session of each wired shell and enter the environment there by its script.

    Where no shell is wired, the person's own is asked all the same: entering needs no wiring. One that something else
    made has no scripts of ours to enter it by.
    """
    if environment.foreign:
        return ()
    modes = wired_modes(host) or tuple((one, Mode.INTERACTIVE) for one in chosen_shells(host))
    commands = sorted({name for one in read_installed(environment).values() for name in one.command_names})
    own = "python" if environment.contents.is_python else interpreter_name(environment.contents)
    wiring = read_wiring(locations)
    found: list[Finding] = []
    for dialect, mode in modes:
        found += _enter(dialect, mode, environment, [own, *commands], wiring=wiring, host=host)
    return tuple(found)


def check_wired_sessions(host: Host, locations: Locations) -> tuple[Finding, ...]:
    """Open a new session of each wired shell and mode, and see that it has what the wiring wants."""
    wiring = read_wiring(locations)
    found: list[Finding] = []
    for dialect, mode in wired_modes(host):
        session = open_session(dialect, mode, host)
        found += [_opens(session), *_wired_entries(session, wiring, host)]
    return tuple(found)


def _enter(
    dialect: Dialect, mode: Mode, environment: Environment, commands: Sequence[str], *, wiring: Wiring, host: Host
) -> list[Finding]:
    enter = dialect.source_line(join(environment.prefix, dialect.enter_name))
    session = open_session(dialect, mode, host, ask=lambda _file: enter)
    opens = _opens(session)
    if session.trouble:
        return [opens]
    answers = [_first_on(session.search_path(), command) for command in commands]
    wrong = [
        (command, answer)
        for command, answer in zip(commands, answers, strict=True)
        if answer != join(environment.layout.scripts, command)
    ]
    subject = _subject(session)
    if wrong:
        command, answer = wrong[0]
        return [
            opens,
            Finding(
                subject=subject,
                question=f"finds {command} after entering {environment.name}",
                verdict=Verdict.FAULT,
                answer=f"it finds {answer}" if answer else "it finds nothing",
                remedy=ush("look", command),
            ),
        ]
    count = f"{len(commands)} command{'s' if len(commands) != 1 else ''}"
    entered = Finding(
        subject=subject,
        question=f"enters {environment.name} and finds its commands",
        verdict=Verdict.PASSED,
        answer=f"{count}, {commands[-1]} among them",
        elapsed_seconds=session.elapsed_seconds,
    )
    return [opens, entered, *_wired_entries(session, wiring, host)]


def _first_on(entries: Sequence[str], command: str) -> str:
    """Return the file that a session with these entries would start."""
    paths = (join(one, command) for one in entries if one.startswith("/"))
    return next((path for path in paths if is_executable_file(path)), "")


def _opens(session: Session) -> Finding:
    return Finding(
        subject=_subject(session),
        question="opens",
        verdict=verdict_of(passed=not session.trouble),
        answer=session.trouble or "yes",
        remedy=ush("shell", "list") if session.trouble else "",
        elapsed_seconds=session.elapsed_seconds,
    )


def _wired_entries(session: Session, wiring: Wiring, host: Host) -> list[Finding]:
    if session.trouble:
        return []
    found = []
    for one in wiring.entries:
        times = session.search_path(one.variable).count(one.directory)
        wanted = int(holds(one.when, session.mode, host))
        # A session script may put the same directory there once more, which hides nothing.
        twice_by_script = times > wanted > 0 and wiring.scripts
        if (
            times != wanted
            and not twice_by_script
            and (session.shell, session.mode) in {(d.name, m) for d, m in wired_modes(host)}
        ):
            found.append(
                Finding(
                    subject=_subject(session),
                    question=f"has {shown(one.directory, host.home)} on {one.variable}, once",
                    verdict=Verdict.FAULT,
                    answer=f"{times} times",
                    remedy=ush("shell", "list"),
                )
            )
    return found


def _subject(session: Session) -> str:
    return f"new {session.mode.value} {session.shell}"
