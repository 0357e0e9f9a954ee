"""The session files: derived from the wiring, one for each dialect."""

from collections.abc import Sequence

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.steps import DropRecord, PutRecord, ReplaceFile, Step
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, from_json_text, join, shown

from .dialects import DIALECTS
from .dialects.dialect import Dialect, SessionContent
from .wiring import Wiring, read_wiring, records_of, wiring_file, wiring_from_records

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
    texts = records_of(wiring)
    for step in steps:
        if step.path == path:
            texts.pop(step.keys, None)
            if isinstance(step, PutRecord):
                texts[step.keys] = step.after
    records: dict[str, object] = {}
    for keys, text in texts.items():
        table = records
        for key in keys[:-1]:
            below = table.setdefault(key, {})
            assert isinstance(below, dict)
            table = below
        table[keys[-1]] = from_json_text(text)
    return wiring_from_records(records)


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
