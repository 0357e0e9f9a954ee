"""Opening a new session of a shell, as a person would, and reading what it came to."""

import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass

from unified_shell.core.machine.executables import is_executable_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes import run_program
from unified_shell.core.machine.terminals import type_at_prompt

from .dialects.dialect import Dialect, Mode

__all__ = ["Session", "find_program", "fresh_variables", "open_session"]

TIMEOUT_SECONDS = 10.0
SYSTEM_PATH = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
PASSED_ON = ("LANG", "LC_ALL", "LC_CTYPE", "TZ", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME")


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """What a new session came to: its variables as a child sees them, the answers of the lines it was
    given, and what it printed on its way. `trouble` says why there is nothing to see.
    """

    shell: str
    mode: Mode
    variables: tuple[tuple[str, str], ...] = ()
    answer: str = ""
    errors: tuple[str, ...] = ()
    trouble: str = ""
    elapsed_seconds: float = 0.0

    def search_path(self, variable: str = "PATH") -> tuple[str, ...]:
        """Return the entries of a search path in this session."""
        value = dict(self.variables).get(variable, "")
        return tuple(value.split(":")) if value else ()


def find_program(dialect: Dialect, host: Host) -> Place | None:
    """Return the shell's program: the login shell where it is one, else the first on PATH or in /bin."""
    login = host.login_shell
    if os.path.basename(login) in dialect.programs and is_executable_file(login):
        return login
    for name in dialect.programs:
        for folder in (*host.search_path(), "/bin", "/usr/bin", "/usr/local/bin"):
            if folder.startswith("/") and is_executable_file(join(folder, name)):
                return join(folder, name)
    return None


def fresh_variables(host: Host, program: str) -> dict[str, str]:
    """Return the variables with which a new session begins: those of the account, and the system's PATH."""
    kept = {name: host.variable(name) for name in PASSED_ON if host.variable(name)}
    return {
        "HOME": host.home,
        "USER": host.user_name,
        "LOGNAME": host.user_name,
        "SHELL": program,
        "TERM": "xterm",
        "LANG": "C.UTF-8",
        "PATH": SYSTEM_PATH,
        # Shells that write a history on leaving get nowhere to write it.
        "HISTFILE": "/dev/null",
        **kept,
    }


def _ask_nothing(_answer_file: str) -> str:
    return ""


def open_session(
    dialect: Dialect,
    mode: Mode,
    host: Host,
    *,
    ask: Callable[[str], str] = _ask_nothing,
    in_terminal: bool = False,
) -> Session:
    """Open a new session, run the lines of `ask` in it and read its variables.

    Without a terminal this takes a few hundredths of a second, but a startup file may ask whether there is
    one; so where nothing came of it, and with `in_terminal`, the lines are typed at a prompt. `ask` is given
    the name of a file; what its lines write there is the answer.
    """
    program = find_program(dialect, host)
    if program is None:
        return Session(shell=dialect.name, mode=mode, trouble=f"{dialect.name} is not on this machine")
    with tempfile.TemporaryDirectory(prefix="ush-session-") as folder:
        asked = _Asked(folder, dialect, ask)
        session = None if in_terminal else _open_without_terminal(dialect, mode, host, program, asked)
        if session is None or session.trouble:
            typed = _open_in_terminal(dialect, mode, host, program, asked)
            session = typed if session is None or not typed.trouble else session
    return session


class _Asked:
    """The file of lines that a session is told to read, and the files that it answers in."""

    def __init__(self, folder: str, dialect: Dialect, ask: Callable[[str], str]) -> None:
        self.script = join(folder, "ask")
        self.environment = join(folder, "environment")
        self.answer = join(folder, "answer")
        quote, lines = dialect.quote, ask(self.answer)
        with open(self.script, "w", encoding="utf-8", errors="surrogateescape") as file:
            if lines:
                file.write(f"{lines}\n")
            # Absolute programs pass by aliases and functions; the name appears only when it is whole.
            file.write(f"/bin/cp /proc/self/environ {quote(self.environment + '.part')}\n")
            file.write(f"/bin/mv {quote(self.environment + '.part')} {quote(self.environment)}\n")
        self.command = dialect.source_line(self.script)

    def is_answered(self) -> bool:
        return os.path.exists(self.environment)

    def variables(self) -> tuple[tuple[str, str], ...]:
        with open(self.environment, "rb") as file:
            pairs = [os.fsdecode(one).partition("=") for one in file.read().split(b"\0") if one]
        return tuple((name, value) for name, _, value in pairs)

    def answer_text(self) -> str:
        if not os.path.exists(self.answer):
            return ""
        with open(self.answer, encoding="utf-8", errors="surrogateescape") as file:
            return file.read()


def _open_without_terminal(dialect: Dialect, mode: Mode, host: Host, program: str, asked: _Asked) -> Session:
    opening = dialect.open_with(mode, asked.command)
    environment = {**fresh_variables(host, program), **dict(opening.variables)}
    ran = run_program(
        opening.argv,
        program=program,
        given=opening.given.encode("utf-8", "surrogateescape"),
        environment=environment,
        timeout_seconds=TIMEOUT_SECONDS,
        directory=host.home if os.path.isdir(host.home) else "/",
    )
    if not asked.is_answered():
        return Session(
            shell=dialect.name,
            mode=mode,
            trouble=ran.trouble or "a startup file ends the session",
            errors=_lines(ran.errors),
            elapsed_seconds=ran.elapsed_seconds,
        )
    return Session(
        shell=dialect.name,
        mode=mode,
        variables=asked.variables(),
        answer=asked.answer_text(),
        errors=_lines(ran.errors),
        elapsed_seconds=ran.elapsed_seconds,
    )


def _open_in_terminal(dialect: Dialect, mode: Mode, host: Host, program: str, asked: _Asked) -> Session:
    opening = dialect.open_terminal(mode)
    typed = type_at_prompt(
        opening.argv,
        f" {asked.command}",
        program=program,
        environment={**fresh_variables(host, program), **dict(opening.variables)},
        directory=host.home if os.path.isdir(host.home) else "/",
        timeout_seconds=TIMEOUT_SECONDS,
        reached=asked.is_answered,
    )
    if not typed.reached:
        last = _lines(typed.shown)[-1:] or ("nothing was shown",)
        return Session(
            shell=dialect.name,
            mode=mode,
            trouble=f"no prompt was reached; the last line was: {last[0]}",
            elapsed_seconds=typed.elapsed_seconds,
        )
    return Session(
        shell=dialect.name,
        mode=mode,
        variables=asked.variables(),
        answer=asked.answer_text(),
        elapsed_seconds=typed.elapsed_seconds,
    )


def _lines(raw: bytes) -> tuple[str, ...]:
    text = raw.decode("utf-8", "replace")
    lines = ["".join(c for c in line if c.isprintable()).strip() for line in text.splitlines()]
    return tuple(line for line in lines if line)
