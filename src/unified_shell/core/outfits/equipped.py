"""What an outfit brought to this machine, so that what it no longer names can be told, and taken away when that is asked for.

What was here before is not its own, and never taken away with it.
"""

import msgspec
from msgspec import Struct

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, from_json_text, join, shown, to_json_text

__all__ = ["Brought", "brought_step", "read_brought"]


class Brought(Struct, frozen=True, kw_only=True):
    """Names of environments, suites (with their version), commands, indexes and catalogs, entries of search paths and variables."""

    environments: frozenset[str] = frozenset()
    suites: frozenset[str] = frozenset()
    commands: frozenset[str] = frozenset()
    entries: frozenset[tuple[str, Place]] = frozenset()
    variables: frozenset[str] = frozenset()
    indexes: frozenset[str] = frozenset()
    catalogs: frozenset[str] = frozenset()

    def with_all(self, other: "Brought") -> "Brought":
        """Return all of both."""
        return Brought(**{name: getattr(self, name) | getattr(other, name) for name in self.__struct_fields__})

    def without(self, other: "Brought") -> "Brought":
        """Return what the other has not."""
        return Brought(**{name: getattr(self, name) - getattr(other, name) for name in self.__struct_fields__})

    def titles(self, home: str) -> tuple[str, ...]:
        """Return each thing in words; places in the home as from there."""
        return (
            *(f"environment {one}" for one in sorted(self.environments)),
            *(f"suite {one}" for one in sorted(self.suites)),
            *(f"command {one}" for one in sorted(self.commands)),
            *(f"{shown(place, home)} on {name}" for name, place in sorted(self.entries)),
            *(f"variable {one}" for one in sorted(self.variables)),
            *(f"index {one}" for one in sorted(self.indexes)),
            *(f"catalog {one}" for one in sorted(self.catalogs)),
        )


def _file(locations: Locations, outfit: str) -> Place:
    return join(locations.data, "outfits", f"{outfit}.json")


def read_brought(locations: Locations, outfit: str) -> Brought:
    """Return what an outfit brought; nothing where its record is gone, or cannot be read."""
    content = read_file(_file(locations, outfit))
    if content is None:
        return Brought()
    try:
        return msgspec.convert(from_json_text(content[0]), Brought)
    except (ValueError, msgspec.ValidationError):
        return Brought()


def brought_step(locations: Locations, outfit: str, brought: Brought) -> ReplaceFile | None:
    """Return the step that records what an outfit brought; None where it is recorded so."""
    path = _file(locations, outfit)
    fields = {name: sorted(getattr(brought, name)) for name in brought.__struct_fields__}
    there = read_file(path)
    before = kept_bytes(there[0]) if there is not None else None
    after = kept_bytes((to_json_text(fields) + "\n").encode("ascii"))
    return ReplaceFile(path=path, before=before, after=after) if before != after else None
