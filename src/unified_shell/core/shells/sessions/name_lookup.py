"""What each shell and mode takes a name for: the file it would start, or the alias or function before it."""

import re
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place
from unified_shell.core.shells.dialects.dialect import Dialect, Mode

from .path_faults import first_on
from .sessions import BegunSession, Session, SideBySide, open_session
from .shell_programs import find_program

__all__ = ["NameLookup", "NameQuestion", "look_up_name", "lookup_in"]

# What each says of a name that is no file; ksh and mksh call a remembered file a tracked alias.
KINDS = (
    (re.compile(r" is (an alias for|aliased to) "), "an alias"),
    (re.compile(r" is a (shell )?function\b"), "a function"),
    (re.compile(r" is a (special )?(shell )?(builtin|built-in|keyword|reserved word)\b"), "the shell's own command"),
)


class NameLookup(Struct, frozen=True, kw_only=True):
    """One new session's answer. `file` is what PATH gives; `instead` says what hides it, if anything; the search paths
    are those that a program which it starts would have.
    """

    shell: str
    mode: Mode
    file: Place
    instead: str
    stamp: str
    trouble: str
    entries: tuple[str, ...] = ()
    library_path: tuple[str, ...] = ()


class NameQuestion:
    """What new sessions of some shells, in each mode, take a name for. The first sessions begin with the block; what else
    the block does, it does while they start.
    """

    def __init__(self, name: str, shells: Sequence[Dialect], host: Host) -> None:
        here = [one for one in shells if find_program(one, host) is not None]
        self._name, self._asked = name, [(one, mode) for one in here for mode in Mode]
        self._sessions = SideBySide([BegunSession(*one, host, names=(name,)) for one in self._asked])

    def __enter__(self) -> "NameQuestion":
        self._sessions.__enter__()
        return self

    def __exit__(self, *_: object) -> None:
        self._sessions.__exit__()

    def answers(self) -> tuple[tuple[Dialect, Mode, NameLookup], ...]:
        """Wait for all sessions and return what each answered."""
        answers = (lookup_in(one, self._name) for one in self._sessions.results())
        return tuple((*asked, answer) for asked, answer in zip(self._asked, answers, strict=True))


def look_up_name(dialect: Dialect, mode: Mode, name: str, host: Host) -> NameLookup:
    """Open a new session and ask what a name means there."""
    return lookup_in(open_session(dialect, mode, host, names=(name,)), name)


def lookup_in(session: Session, name: str) -> NameLookup:
    """Return what a session that was asked about a name takes it for."""
    return NameLookup(
        shell=session.shell,
        mode=session.mode,
        file=Place(first_on(session.search_path(), name)),
        instead=_instead(name, dict(session.meanings).get(name, "")),
        stamp=_stamp(session),
        trouble=session.trouble,
        entries=session.search_path(),
        library_path=session.search_path("LD_LIBRARY_PATH"),
    )


def _instead(name: str, answer: str) -> str:
    first = next((line for line in answer.splitlines() if line.strip()), "")
    for pattern, kind in KINDS:
        found = pattern.search(first)
        if found is not None and first.startswith(name):
            text = first[found.end() :].strip(" `'")
            return f"{kind} answers: {text}" if kind == "an alias" else f"{kind} answers"
    return ""


def _stamp(session: Session) -> str:
    return dict(session.variables).get("USH_WIRING", "")
