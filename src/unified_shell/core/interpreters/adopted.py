"""Interpreters that were registered in place: a name for each, kept in a file of their own."""

from collections.abc import Mapping

from msgspec import Struct

from unified_shell.core.changes.records import read_records
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, from_record_text, join, to_record_text

__all__ = ["TABLE", "Adopted", "adopted_file", "read_adopted"]

TABLE = "interpreter"


class Adopted(Struct, frozen=True, kw_only=True):
    """A name and the executable it stands for; the version is as it was when it was registered."""

    name: str
    executable: Place
    version: str
    language: str = "python"

    def record(self) -> dict[str, str]:
        """Return what is kept of it; nothing of the language of most."""
        language = {} if self.language == "python" else {"language": self.language}
        return {"executable": to_record_text(self.executable), "version": self.version, **language}


def adopted_file(locations: Locations) -> Place:
    """Return where they are kept."""
    return join(locations.data, "interpreters", "adopted.toml")


def read_adopted(locations: Locations) -> tuple[Adopted, ...]:
    """Return the registered interpreters."""
    table = read_records(adopted_file(locations)).get(TABLE, {})
    rows = table.items() if isinstance(table, Mapping) else ()
    return tuple(
        Adopted(
            name=name,
            executable=from_record_text(str(value.get("executable", ""))),
            version=str(value.get("version", "")),
            language=str(value.get("language", "python")),
        )
        for name, value in rows
    )
