"""The session files: derived from the wiring, one for each dialect."""

from collections.abc import Sequence

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.steps import DropRecord, PutRecord, ReplaceFile, Step
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, from_json_text, join, shown

from .dialects import DIALECTS
from .dialects.dialect import Dialect, SessionContent
from .wiring import VARIABLES, Entry, Wiring, entry_from, read_wiring, variable_from, wiring_file

__all__ = ["derive_session_files", "session_file", "session_file_steps", "stamp_name"]


def session_file(dialect: Dialect, locations: Locations) -> Place:
    """Return where a dialect's session file is."""
    return join(locations.data, "wiring", dialect.session_name)


def session_file_steps(wiring: Wiring, locations: Locations, home: str) -> tuple[ReplaceFile, ...]:
    """Return the steps that make the session files say what the wiring wants; none where they do."""
    steps = []
    for dialect in DIALECTS:
        path = session_file(dialect, locations)
        found = read_file(path)
        before = None if found is None else kept_bytes(found[0])
        after = _text(dialect, wiring, locations, home)
        if before != after:
            steps.append(ReplaceFile(path=path, before=before, after=after, derived=True))
    return tuple(steps)


def derive_session_files(steps: Sequence[Step], locations: Locations, home: str) -> tuple[Step, ...]:
    """Return the steps on session files that follow from steps on the wiring's records."""
    on_records = tuple(step for step in steps if isinstance(step, PutRecord | DropRecord))
    if not any(step.path == wiring_file(locations) for step in on_records):
        return ()
    wiring = _after(read_wiring(locations), on_records, wiring_file(locations))
    return session_file_steps(wiring, locations, home)


def stamp_name(scope: Scope) -> str:
    """Return the variable by which a session tells which wiring it has read."""
    return "USH_WIRING" if scope is Scope.ME else "USH_WIRING_OF_EVERYONE"


def _after(wiring: Wiring, steps: Sequence[PutRecord | DropRecord], path: str) -> Wiring:
    """Return the wiring as it will be when steps on its records have been done."""
    entries: dict[tuple[str, ...], Entry] = {one.keys: one for one in wiring.entries}
    variables = {one.name: one for one in wiring.variables}
    for step in steps:
        if step.path != path:
            continue
        value = from_json_text(step.after) if isinstance(step, PutRecord) else None
        if step.keys[0] == VARIABLES:
            variables.pop(step.keys[1], None)
            if value is not None:
                variables[step.keys[1]] = variable_from(step.keys[1], value)
        else:
            entries.pop(step.keys, None)
            if value is not None:
                entries[step.keys] = entry_from(step.keys[1], step.keys[2], value)
    return Wiring(entries=tuple(entries.values()), variables=tuple(variables.values()))


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
    )
    text = dialect.session_text(content)
    return kept_bytes(text.encode("utf-8", "surrogateescape"))
