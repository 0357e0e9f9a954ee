"""Which environments were registered in place though something else made them, and which are protected.

Both are kept in `environments.toml`.
"""

from collections.abc import Mapping

from unified_shell.core.changes.records import read_records
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, from_record_text, join

__all__ = ["ADOPTED", "PROTECTED", "adopted_places", "is_protected", "records_file"]

ADOPTED = "adopted"
PROTECTED = "protected"


def records_file(locations: Locations) -> Place:
    """Return where both are kept."""
    return join(locations.data, "environments.toml")


def adopted_places(locations: Locations) -> dict[str, Place]:
    """Return the folders of adopted environments, by name."""
    table = read_records(records_file(locations)).get(ADOPTED, {})
    rows = table.items() if isinstance(table, Mapping) else ()
    return {name: from_record_text(str(place)) for name, place in rows}


def is_protected(name: str, locations: Locations) -> bool:
    """Tell whether a person protected an environment of ours."""
    table = read_records(records_file(locations)).get(PROTECTED, {})
    return isinstance(table, Mapping) and table.get(name) is True
