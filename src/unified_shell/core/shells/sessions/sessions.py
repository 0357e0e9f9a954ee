"""Opening a new session of a shell, as a person would, and reading what it came to."""

import contextlib
import os
import re
import tempfile
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.terminals import TypingAtPrompt
from unified_shell.core.shells.dialects.dialect import Dialect, Mode, Opening

from .session_questions import Questions
from .shell_programs import find_program, fresh_variables

if TYPE_CHECKING:
    from unified_shell.core.machine.processes.processes import Ran

__all__ = ["BegunSession", "Session", "SideBySide", "open_session"]

# What takes longer asks something, or hangs.
TIMEOUT_SECONDS = 10.0
# So many sessions start side by side: one shell's of each mode. More would hinder each other, and most people have one shell.
AT_ONCE = len(Mode)
# What an interactive shell says of having no terminal; a person's session has one.
NO_TERMINAL = re.compile(r"no job control|cannot set terminal process group|[Ii]nappropriate ioctl|can't access tty")


class Session(Struct, frozen=True, kw_only=True):
    """What a new session came to: its variables as a child sees them, the answers of the lines it was
    given, what it takes names for, and what it printed on its way. `trouble` says why there is nothing to see; it `ends` where a startup file
    ends it. `answered_by` is the program that read the lines: another shell where a startup file starts one instead.
    """

    shell: str
    mode: Mode
    variables: tuple[tuple[str, str], ...] = ()
    answer: str = ""
    errors: tuple[str, ...] = ()
    trouble: str = ""
    elapsed_seconds: float = 0.0
    answered_by: str = ""
    ends: bool = False
    meanings: tuple[tuple[str, str], ...] = ()

    def search_path(self, variable: str = "PATH") -> tuple[str, ...]:
        """Return the entries of a search path in this session."""
        value = dict(self.variables).get(variable, "")
        return tuple(value.split(":")) if value else ()


def _ask_nothing(_answer_file: str) -> str:
    return ""


def open_session(
    dialect: Dialect,
    mode: Mode,
    host: Host,
    *,
    ask: Callable[[str], str] = _ask_nothing,
    names: Sequence[str] = (),
    errors: bool = False,
) -> Session:
    """Open a new session in a terminal, as a person does, run the lines of `ask` in it and read its variables.

    A startup file may ask whether there is a terminal, and a prompt may run commands: what a session without one comes to
    says little of the next real one. Where none is reached, because a startup file waits for input, it is opened
    without a terminal, and `trouble` stays. `ask` is given the name of a file; what its lines write there is the answer.
    Of each of `names` it is asked what it takes it for. With `errors`, what it prints on the error stream is read too, in a second session.
    """
    with BegunSession(dialect, mode, host, ask=ask, names=names) as begun:
        return begun.result(errors=errors)


class BegunSession:
    """A new session that begins with a block; what else the block does, it does while the session starts.

    See `open_session` for what it is asked. Begin it where no threads run: it is forked from this process.
    """

    def __init__(
        self,
        dialect: Dialect,
        mode: Mode,
        host: Host,
        *,
        ask: Callable[[str], str] = _ask_nothing,
        names: Sequence[str] = (),
    ) -> None:
        self._dialect, self._mode, self._host, self._ask, self._names = dialect, mode, host, ask, names
        program = find_program(dialect, host)
        self._opener = None if program is None else _Opener(dialect=dialect, mode=mode, host=host, program=program)
        self._at_prompt: _AtPrompt | None = None
        self._held = contextlib.ExitStack()

    def __enter__(self) -> "BegunSession":
        if self._opener is not None:
            with contextlib.ExitStack() as held:
                folder = held.enter_context(tempfile.TemporaryDirectory(prefix="ush-session-"))
                self._at_prompt = self._opener.at_prompt(self._questions(folder), join(folder, "shelter"))
                held.enter_context(self._at_prompt.typing)
                self._held = held.pop_all()
        return self

    def __exit__(self, *_: object) -> None:
        self._held.close()

    def result(self, *, errors: bool = False) -> Session:
        """Wait for the session's answers, and end it; see `open_session` for `errors`."""
        if self._opener is None or self._at_prompt is None:
            name = self._dialect.name
            return Session(shell=name, mode=self._mode, trouble=f"{name} is not on this machine")
        session = self._opener.in_terminal(self._at_prompt)
        self._held.close()
        if not (errors or session.trouble):
            return session
        with tempfile.TemporaryDirectory(prefix="ush-session-") as folder:
            other = self._opener.without_terminal(self._questions(folder))
        if session.trouble and other.ends:
            return replace(session, trouble=other.trouble, errors=other.errors)
        return replace(session, errors=other.errors)

    def _questions(self, folder: str) -> Questions:
        return Questions(folder, self._dialect, self._ask, self._names)


class SideBySide:
    """Sessions of which the first begin with a block, and each later one as an earlier one has answered."""

    def __init__(self, sessions: Sequence[BegunSession]) -> None:
        self._sessions = sessions
        self._held = contextlib.ExitStack()

    def __enter__(self) -> "SideBySide":
        with contextlib.ExitStack() as held:
            for one in self._sessions[:AT_ONCE]:
                held.enter_context(one)
            self._held = held.pop_all()
        return self

    def __exit__(self, *_: object) -> None:
        self._held.close()

    def results(self) -> tuple[Session, ...]:
        """Wait for the answers of all, in their order."""
        found = []
        for number, one in enumerate(self._sessions):
            found.append(one.result())
            for later in self._sessions[number + AT_ONCE :][:1]:
                self._held.enter_context(later)
        return tuple(found)


class _AtPrompt(Struct, frozen=True, kw_only=True):
    """What was typed at a prompt, and the session's variables: `shelter` are those that keep it from the person's folders."""

    asked: Questions
    typing: TypingAtPrompt
    environment: Mapping[str, str]
    shelter: Mapping[str, str]


class _Opener(Struct, frozen=True, kw_only=True):
    """One shell in one mode, and how it is opened."""

    dialect: Dialect
    mode: Mode
    host: Host
    program: Place

    def at_prompt(self, asked: Questions, folder: str) -> _AtPrompt:
        opening = self.dialect.open_terminal(self.mode)
        environment = self._environment(opening)
        os.mkdir(folder)
        shelter = self.dialect.shelter(folder, self.host.home, tuple(environment.items()))
        typing = TypingAtPrompt(
            opening.argv,
            f" {asked.command}",
            program=self.program,
            environment={**environment, **shelter},
            directory=self._directory(),
            timeout_seconds=TIMEOUT_SECONDS,
            reached=asked.is_answered,
        )
        return _AtPrompt(asked=asked, typing=typing, environment=environment, shelter=shelter)

    def in_terminal(self, at_prompt: _AtPrompt) -> Session:
        environment, shelter = at_prompt.environment, at_prompt.shelter
        typed = at_prompt.typing.wait()
        if not typed.reached:
            last = _lines(typed.shown)[-1:] or ("nothing was shown",)
            return Session(
                shell=self.dialect.name,
                mode=self.mode,
                trouble=f"no prompt was reached; the last line was: {last[0]}",
                elapsed_seconds=typed.elapsed_seconds,
            )
        session = self._answered(at_prompt.asked, typed.elapsed_seconds)
        own = [
            (name, environment.get(name, "") if value == shelter.get(name) else value)
            for name, value in session.variables
        ]
        return replace(session, variables=tuple((name, value) for name, value in own if value or name not in shelter))

    def without_terminal(self, asked: Questions) -> Session:
        from unified_shell.core.machine.processes.processes import run_program

        opening = self.dialect.open_with(self.mode, asked.command)
        ran = run_program(
            opening.argv,
            program=self.program,
            given=opening.given.encode("utf-8", "surrogateescape"),
            environment=self._environment(opening),
            timeout_seconds=TIMEOUT_SECONDS,
            directory=self._directory(),
            with_descendants=True,
        )
        if asked.is_answered():
            return replace(self._answered(asked, ran.elapsed_seconds), errors=_lines(ran.errors))
        ends = ran.returncode is not None
        return Session(
            shell=self.dialect.name,
            mode=self.mode,
            trouble=_ending(ran) if ends else ran.trouble,
            errors=_lines(ran.errors),
            ends=ends,
            elapsed_seconds=ran.elapsed_seconds,
        )

    def _answered(self, asked: Questions, elapsed_seconds: float) -> Session:
        return Session(
            shell=self.dialect.name,
            mode=self.mode,
            variables=asked.variables(),
            answer=asked.answer_text(),
            answered_by=asked.answered_by(),
            meanings=asked.meanings(),
            elapsed_seconds=elapsed_seconds,
        )

    def _environment(self, opening: Opening) -> dict[str, str]:
        return {**fresh_variables(self.host, self.program), **dict(opening.variables)}

    def _directory(self) -> str:
        return self.host.home if os.path.isdir(self.host.home) else "/"


def _ending(ran: "Ran") -> str:
    return f"a startup file ends the session (exit code {ran.returncode})"


def _lines(raw: bytes) -> tuple[str, ...]:
    text = raw.decode("utf-8", "replace")
    lines = ["".join(c for c in line if c.isprintable()).strip() for line in text.splitlines()]
    return tuple(line for line in lines if line and not NO_TERMINAL.search(line))
