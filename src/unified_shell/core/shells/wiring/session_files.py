"""The session files: derived from the wiring, one for each dialect."""

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.shells.dialects.dialect import SessionContent
from unified_shell.core.shells.dialects.table import DIALECTS, FISH, SH

from .completion_files import completion_lines, completion_texts
from .session_places import session_file, stamp_name
from .wiring import Wiring, wiring_file

__all__ = ["altered_session_lines", "session_file_steps", "stamp_of"]


def again_file(locations: Locations) -> Place:
    """Return where the file is that shells of the POSIX family read where a session has some of the wiring already; that
    of fish is beside it.
    """
    return join(locations.data, "wiring", "session-again.sh")


def session_file_steps(wiring: Wiring, locations: Locations, home: str) -> tuple[ReplaceFile, ...]:
    """Return the steps that make the session files say what the wiring wants; none where they do."""
    content = None if wiring.is_empty else _content(wiring, locations, home)
    texts = {
        session_file(dialect, locations): None
        if content is None
        else _kept(
            dialect.session_text(content)
            + (completion_lines(dialect, locations, content.home) if wiring.completes else "")
        )
        for dialect in DIALECTS
        if dialect.session_name
    }
    for path, text in completion_texts(locations).items():
        texts[path] = _kept(text) if wiring.completes else None
    again = again_file(locations)
    texts[again] = None if content is None else _kept(SH.again_text(content))
    texts[Place(f"{again}.fish")] = None if content is None else _kept(FISH.again_text(content))
    steps = []
    for path, after in texts.items():
        found = read_file(path)
        before = None if found is None else kept_bytes(found[0])
        if before != after:
            steps.append(ReplaceFile(path=path, before=before, after=after, derived=True))
    return tuple(steps)


def altered_session_lines(wiring: Wiring, locations: Locations, home: str) -> tuple[PlanLine, ...]:
    """Return a line for each session file that is not as this wiring, the one before a change, made it: a change makes it anew,
    and with it goes what somebody wrote there.
    """
    if wiring.is_empty:
        return ()
    return tuple(
        plan_line(
            LineKind.EDIT,
            About.SESSION_FILE_ALTERED,
            file=one.path,
            gone=one.before is None,
            edited=one.before is not None,
        )
        for one in session_file_steps(wiring, locations, home)
    )


def stamp_of(wiring: Wiring, scope: Scope) -> tuple[str, str]:
    """Return the variable by which a session tells that it read this wiring, and its value; empty for an empty one."""
    return ("", "") if wiring.is_empty else (stamp_name(scope), wiring.stamp())


def _content(wiring: Wiring, locations: Locations, home: str) -> SessionContent:
    return SessionContent(
        search_paths=wiring.search_paths(),
        variables=wiring.variables,
        # What is for everyone is the same in every home.
        home=Place(home if locations.scope is Scope.ME else ""),
        source=shown(wiring_file(locations), home),
        stamp=wiring.stamp(),
        stamp_name=stamp_name(locations.scope),
        scripts=wiring.scripts,
        again_file=again_file(locations),
    )


def _kept(text: str) -> str:
    return kept_bytes(text.encode("utf-8", "surrogateescape"))
