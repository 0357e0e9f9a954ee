"""The session files: derived from the wiring, one for each dialect."""

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join, shown

from .dialects import DIALECTS
from .dialects.dialect import Dialect, SessionContent
from .wiring import Wiring, wiring_file

__all__ = ["session_file", "session_file_steps", "stamp_name"]


def session_file(dialect: Dialect, locations: Locations) -> Place:
    """Return where a dialect's session file is."""
    return join(locations.data, "wiring", dialect.session_name)


def session_file_steps(wiring: Wiring, locations: Locations, home: str) -> tuple[ReplaceFile, ...]:
    """Return the steps that make the session files say what the wiring wants; none where they do."""
    steps = []
    for dialect in DIALECTS:
        if not dialect.session_name:
            continue
        path = session_file(dialect, locations)
        found = read_file(path)
        before = None if found is None else kept_bytes(found[0])
        after = _text(dialect, wiring, locations, home)
        if before != after:
            steps.append(ReplaceFile(path=path, before=before, after=after, derived=True))
    return tuple(steps)


def stamp_name(scope: Scope) -> str:
    """Return the variable by which a session tells which wiring it has read."""
    return "USH_WIRING" if scope is Scope.ME else "USH_WIRING_OF_EVERYONE"


def _text(dialect: Dialect, wiring: Wiring, locations: Locations, home: str) -> str | None:
    if wiring.is_empty:
        return None
    content = SessionContent(
        search_paths=wiring.search_paths(),
        variables=wiring.variables,
        # What is for everyone is the same in every home.
        home=Place(home if locations.scope is Scope.ME else ""),
        source=shown(wiring_file(locations), home),
        stamp=wiring.stamp(),
        stamp_name=stamp_name(locations.scope),
        scripts=wiring.scripts,
    )
    text = dialect.session_text(content)
    return kept_bytes(text.encode("utf-8", "surrogateescape"))
