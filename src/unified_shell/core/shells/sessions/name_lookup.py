"""What each shell and mode takes a name for: the file it would start, or the alias or function before it."""

import re

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place
from unified_shell.core.shells.dialects.dialect import Dialect, Mode

from .path_faults import first_on
from .sessions import Session, open_session

__all__ = ["NameLookup", "look_up_name", "lookup_in"]

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
