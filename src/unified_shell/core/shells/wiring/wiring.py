"""The wiring: the search-path entries that a person wants, in order. The file is the truth."""

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.changes.records import read_records
from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import (
    Place,
    from_record_text,
    join,
    to_json_text,
    to_record_text,
)
from unified_shell.core.shells.dialects.dialect import SearchPath, SessionScript, SetVariable, Side

__all__ = [
    "Entry",
    "Wiring",
    "check_directory_name",
    "read_wiring",
    "records_of",
    "wiring_file",
    "wiring_from_records",
    "wiring_from_rows",
    "wiring_rows",
]

TABLE = "search-path"
VARIABLES = "variable"
SCRIPTS = "session-script"
SESSIONS = "session"
COMPLETION = "completion"


class Entry(Struct, frozen=True, kw_only=True):
    """One wanted directory. A lower rank stands nearer the front of its side."""

    variable: str
    directory: Place
    side: Side
    rank: int
    when: str = ""

    @property
    def keys(self) -> tuple[str, ...]:
        """Where it stands in the wiring's file."""
        return (TABLE, self.variable, to_record_text(self.directory))

    @property
    def value_text(self) -> str:
        """Its value there, as JSON text."""
        condition = {"when": self.when} if self.when else {}
        return to_json_text({"side": self.side.value, "rank": self.rank, **condition})


class Wiring(Struct, frozen=True, kw_only=True):
    """All wanted entries of one scope; `completes`: Tab completes the words of ush."""

    entries: tuple[Entry, ...] = ()
    variables: tuple[SetVariable, ...] = ()
    scripts: tuple[SessionScript, ...] = ()
    completes: bool = False

    @property
    def is_empty(self) -> bool:
        """Tell whether nothing is wanted."""
        return not (self.entries or self.variables or self.scripts or self.completes)

    def find(self, variable: str, directory: str) -> Entry | None:
        """Return the entry for a directory, or None."""
        return next((one for one in self.entries if one.variable == variable and one.directory == directory), None)

    def with_entry(self, variable: str, directory: str, side: Side, when: str = "") -> "Wiring":
        """Return the wiring with a directory nearest the outside of its side: first at the front, last at the back."""
        others = tuple(one for one in self.entries if (one.variable, one.directory) != (variable, directory))
        ranks = [one.rank for one in others if one.variable == variable and one.side is side] or [0]
        rank = min(ranks) - 1 if side is Side.FRONT else max(ranks) + 1
        new = Entry(variable=variable, directory=Place(directory), side=side, rank=rank, when=when)
        return replace(self, entries=(*others, new))

    def with_entry_before(self, variable: str, directory: str, other: str) -> "Wiring":
        """Return the wiring with a directory right before another one, on the other's side; ranks are made anew."""
        anchor = self.find(variable, other)
        if anchor is None:
            return self
        of_side = sorted(
            (one for one in self.entries if one.variable == variable and one.side is anchor.side),
            key=lambda one: one.rank,
        )
        order = [one.directory for one in of_side if one.directory != directory]
        conditions = {one.directory: one.when for one in self.entries if one.variable == variable}
        order.insert(order.index(anchor.directory), Place(directory))
        ranked = tuple(
            Entry(variable=variable, directory=one, side=anchor.side, rank=rank, when=conditions.get(one, ""))
            for rank, one in enumerate(order, 1)
        )
        moved = set(order)
        rest = tuple(one for one in self.entries if one.variable != variable or one.directory not in moved)
        return replace(self, entries=(*rest, *ranked))

    def without_entry(self, variable: str, directory: str) -> "Wiring":
        """Return the wiring without a directory."""
        gone = (variable, directory)
        return replace(self, entries=tuple(one for one in self.entries if (one.variable, one.directory) != gone))

    def variable(self, name: str) -> SetVariable | None:
        """Return the variable that is wanted under a name, or None."""
        return next((one for one in self.variables if one.name == name), None)

    def search_paths(self) -> tuple[SearchPath, ...]:
        """Return the entries by variable, condition and side, in order."""
        groups: dict[tuple[str, str, Side], list[Entry]] = {}
        # What has no condition comes first, so that what has one stands nearer the outside.
        for one in sorted(self.entries, key=lambda one: (one.variable, one.when, one.side is Side.BACK, one.rank)):
            groups.setdefault((one.variable, one.when, one.side), []).append(one)
        return tuple(
            SearchPath(variable=variable, side=side, when=when, directories=tuple(one.directory for one in entries))
            for (variable, when, side), entries in groups.items()
        )

    def stamp(self) -> str:
        """Return a short digest: the same for the same wanted entries in the same order."""
        rows = [
            (one.variable, one.side.value, to_record_text(one.directory), one.rank, one.when) for one in self.entries
        ]
        values = [(one.name, one.value, one.when) for one in self.variables]
        scripts = [(one.rank, to_record_text(one.file), one.dialect) for one in self.scripts]
        told = to_json_text(
            [sorted(rows), sorted(values), sorted(scripts), *(["completes"] if self.completes else [])]
        )
        return digest_of_bytes(told.encode())[:12]


def wiring_file(locations: Locations) -> Place:
    """Return where the scope's wiring is kept."""
    return join(locations.data, "wiring", f"{locations.scope.value}.toml")


def read_wiring(locations: Locations) -> Wiring:
    """Read the scope's wiring; an absent file is an empty one."""
    return wiring_from_records(read_records(wiring_file(locations)))


def records_of(wiring: Wiring) -> dict[tuple[str, ...], str]:
    """Return the keys of each thing wanted in the wiring's file, with its value there as JSON text."""
    found = {one.keys: one.value_text for one in wiring.entries}
    for variable in wiring.variables:
        condition = {"when": variable.when} if variable.when else {}
        value = {"value": to_record_text(variable.value), **condition}
        found[VARIABLES, variable.name] = to_json_text(value)
    for script in wiring.scripts:
        told = {"dialect": script.dialect, "rank": script.rank}
        found[SCRIPTS, to_record_text(script.file)] = to_json_text(told)
    if wiring.completes:
        found[SESSIONS, COMPLETION] = "true"
    return found


def wiring_from_records(records: Mapping[str, object]) -> Wiring:
    """Return the wiring that the file's content holds."""
    entries = [
        _entry(variable, text, value)
        for variable, below in _items(records.get(TABLE))
        for text, value in _items(below)
    ]
    variables = [_variable(name, value) for name, value in _items(records.get(VARIABLES))]
    scripts = [_script(text, value) for text, value in _items(records.get(SCRIPTS))]
    return Wiring(
        entries=tuple(entries),
        variables=tuple(variables),
        scripts=tuple(sorted(scripts, key=lambda one: one.rank)),
        completes=_fields(records.get(SESSIONS)).get(COMPLETION) is True,
    )


def wiring_rows(wiring: Wiring) -> dict[str, object]:
    """Return a wiring as plain values, for a file that holds more than it."""
    entries = [[one.variable, to_record_text(one.directory), one.side.value, one.rank] for one in wiring.entries]
    return {"entries": entries, "variables": [[one.name, to_record_text(one.value)] for one in wiring.variables]}


def wiring_from_rows(rows: object) -> Wiring:
    """Return the wiring that `wiring_rows` was given; nothing for what is not there."""
    if not isinstance(rows, Mapping):
        return Wiring()
    return Wiring(
        entries=tuple(
            Entry(variable=variable, directory=from_record_text(directory), side=Side(side), rank=rank)
            for variable, directory, side, rank in rows["entries"]
        ),
        variables=tuple(
            SetVariable(name=name, value=str(from_record_text(value))) for name, value in rows["variables"]
        ),
    )


def check_directory_name(directory: str) -> None:
    """Raise Refused for a name that cannot stand in a search path."""
    if ":" in directory:
        raise Refused(
            f"{directory!r} cannot stand on a search path: a colon separates its entries",
            next_step="give the directory a name without a colon, or a link that has none",
        )


def _items(table: object) -> "list[tuple[str, object]]":
    return list(table.items()) if isinstance(table, Mapping) else []


def _fields(value: object) -> Mapping[str, object]:
    return value if isinstance(value, Mapping) else {}


def _rank(fields: Mapping[str, object]) -> int:
    rank = fields.get("rank", 0)
    return rank if isinstance(rank, int) else 0


def _entry(variable: str, text: str, value: object) -> Entry:
    fields = _fields(value)
    side = Side.BACK if fields.get("side") == Side.BACK.value else Side.FRONT
    return Entry(
        variable=variable,
        directory=from_record_text(text),
        side=side,
        rank=_rank(fields),
        when=str(fields.get("when", "")),
    )


def _variable(name: str, value: object) -> SetVariable:
    fields = _fields(value)
    told = str(from_record_text(str(fields.get("value", ""))))
    return SetVariable(name=name, value=told, when=str(fields.get("when", "")))


def _script(text: str, value: object) -> SessionScript:
    fields = _fields(value)
    return SessionScript(file=from_record_text(text), dialect=str(fields.get("dialect", "sh")), rank=_rank(fields))
