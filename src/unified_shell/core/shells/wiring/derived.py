"""What follows from the wiring's records: session files, and the registry's variables where there is one."""

from collections.abc import Sequence

from unified_shell.core.changes.steps import DropRecord, PutRecord, Step
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import from_json_text

from .path_helper import paths_file_steps
from .registry_wiring import registry_steps
from .session_files import session_file_steps
from .wiring import Wiring, read_wiring, records_of, wiring_file, wiring_from_records

__all__ = ["derive_from_wiring"]


def derive_from_wiring(steps: Sequence[Step], host: Host, locations: Locations) -> tuple[Step, ...]:
    """Return the steps on what follows from the wiring, for steps on the wiring's records.

    A value of the registry that one of the steps sets already is left to it.
    """
    on_records = tuple(step for step in steps if isinstance(step, PutRecord | DropRecord))
    path = wiring_file(locations)
    if not any(step.path == path for step in on_records):
        return ()
    before = read_wiring(locations)
    after = _after(before, on_records, path)
    set_already = {(step.path, step.keys) for step in on_records}
    in_registry = registry_steps(before, after, host, locations.scope)
    return (
        *session_file_steps(after, locations, host.home),
        *paths_file_steps(after, host, locations),
        *(step for step in in_registry if (step.path, step.keys) not in set_already),
    )


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
