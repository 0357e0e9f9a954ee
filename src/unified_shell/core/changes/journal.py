"""The record of what was done, with what undo needs: one SQLite file.

It is written through its rollback journal, synced, and never by a write-ahead log: homes are shared over
networks, where that is not safe. Losing the file loses history and nothing else.
"""

import contextlib
import os
import re
import sqlite3
from collections.abc import Iterator, Sequence
from enum import Enum

from msgspec import Struct

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.places import Place, from_json_text, to_json_text
from unified_shell.core.machine.processes.presence import Worker
from unified_shell.core.next_steps import Command, ush

from .steps import Step, decode_step, encode_step

__all__ = ["Entry", "EntryState", "Journal"]

VERSION = 3
SCHEMA = """
create table if not exists entries (
  number integer primary key autoincrement, words text not null, aim text not null, state text not null,
  began real not null, ended real, process integer not null, process_began real not null,
  staging text not null, objects text not null, relies_on text not null, undoes integer not null,
  note text not null default '', undoable integer not null default 1, machine text not null default ''
);
create table if not exists steps (
  entry integer not null, number integer not null, body text not null, primary key (entry, number)
);
create table if not exists undone_too (entry integer not null, undoes integer not null);
create index if not exists undone_too_by_undoes on undone_too (undoes);
create index if not exists entries_by_state on entries (state);
create index if not exists entries_by_undoes on entries (undoes);
create index if not exists entries_by_undoable on entries (undoable);
"""


FROM_1 = "alter table entries add column machine text not null default '';"
# An address with a password, as an earlier version wrote it down.
PASSWORD = re.compile(r"(https?://[^\s/@\":]*):[^\s/@\"]*@")


class EntryState(Enum):
    """How far a change has come. Those in `UNFINISHED` may be found after a crash."""

    PREPARING = "preparing"
    SWITCHING = "switching"
    VERIFYING = "verifying"
    PUTTING_BACK = "putting back"
    DONE = "done"
    PUT_BACK = "put back"
    ABANDONED = "abandoned"


UNFINISHED = (EntryState.PREPARING, EntryState.SWITCHING, EntryState.VERIFYING, EntryState.PUTTING_BACK)


class Entry(Struct, frozen=True, kw_only=True):
    """One change. Times are seconds since 1970; `objects` are what it wrote."""

    number: int
    words: str
    aim: str
    state: EntryState
    began_seconds: float
    ended_seconds: float
    worker: Worker
    staging: Place
    objects: tuple[str, ...]
    relies_on: tuple[str, ...]
    undoes: int
    note: str
    undoable: bool
    undoes_too: tuple[int, ...] = ()


class Journal:
    """The journal of one scope. Opening it makes the file only where something is to be written."""

    def __init__(self, path: str) -> None:
        self.path = path
        self._open: sqlite3.Connection | None = None

    def begin(self, entry: Entry) -> int:
        """Write a new entry and return its number. Its own number and state are ignored."""
        with self._writing() as database:
            cursor = database.execute(
                "insert into entries (words, aim, state, began, process, process_began, staging, objects,"
                " relies_on, undoes, machine) values (?, ?, ?, ?, ?, ?, ?, '[]', ?, ?, ?)",
                (
                    to_json_text(entry.words),
                    to_json_text(entry.aim),
                    EntryState.PREPARING.value,
                    entry.began_seconds,
                    entry.worker.process,
                    entry.worker.began_seconds,
                    to_json_text(entry.staging),
                    to_json_text(entry.relies_on),
                    entry.undoes,
                    entry.worker.machine,
                ),
            )
            number = int(cursor.lastrowid or 0)
            database.executemany(
                "insert into undone_too (entry, undoes) values (?, ?)", [(number, one) for one in entry.undoes_too]
            )
            return number

    def write_steps(self, number: int, steps: Sequence[Step]) -> None:
        """Make the steps durable and the entry `switching`, at once."""
        objects = tuple(dict.fromkeys(step.object_name for step in steps if step.object_name))
        with self._writing() as database:
            database.executemany(
                "insert into steps (entry, number, body) values (?, ?, ?)",
                [(number, at, encode_step(step)) for at, step in enumerate(steps)],
            )
            database.execute(
                "update entries set state = ?, objects = ? where number = ?",
                (EntryState.SWITCHING.value, to_json_text(objects), number),
            )

    def set_state(self, number: int, state: EntryState, *, ended: float | None = None, note: str = "") -> None:
        """Let an entry take its next state."""
        with self._writing() as database:
            database.execute(
                "update entries set state = ?, ended = coalesce(?, ended), note = ? where number = ?",
                (state.value, ended, to_json_text(note), number),
            )

    def forget_undo(self, number: int) -> None:
        """Keep an entry as history only."""
        with self._writing() as database:
            database.execute("update entries set undoable = 0 where number = ?", (number,))
            database.execute("delete from steps where entry = ?", (number,))

    def entries(self, *, newest: int | None = None) -> tuple[Entry, ...]:
        """Return the entries, newest first."""
        return self._select("order by number desc limit ?", (-1 if newest is None else newest,))

    def entries_after(self, number: int) -> tuple[Entry, ...]:
        """Return the entries after one, newest first."""
        return self._select("where number > ? order by number desc", (number,))

    def standing_candidates(self, *, newest: int | None = None) -> tuple[Entry, ...]:
        """Return the changes that were done and are no taking back, newest first."""
        limit = -1 if newest is None else newest
        return self._select(
            "where undoes = 0 and state = ? order by number desc limit ?", (EntryState.DONE.value, limit)
        )

    def unfinished(self) -> tuple[Entry, ...]:
        """Return the entries that a crash may have left."""
        marks = ", ".join("?" * len(UNFINISHED))
        return self._select(f"where state in ({marks}) order by number", [state.value for state in UNFINISHED])

    def kept_for_undo(self) -> tuple[Entry, ...]:
        """Return the ended entries whose undo is still kept, newest first: few, however long the history."""
        ended = (EntryState.DONE.value, EntryState.PUT_BACK.value)
        return self._select("where undoable = 1 and state in (?, ?) order by number desc", ended)

    def keeps_from_before(self, seconds: float) -> bool:
        """Tell whether undo is kept for an entry that ended before a time (since 1970); no entry is read for that."""
        query = "select 1 from entries where undoable = 1 and ended > 0 and ended < ? limit 1"
        return bool(self._rows(query, (seconds,)))

    def find(self, number: int) -> Entry | None:
        """Return one entry, or None."""
        found = self._select("where number = ?", (number,))
        return found[0] if found else None

    def undone_by(self, number: int) -> tuple[Entry, ...]:
        """Return the changes that took the entry back."""
        return self._select(
            "where (undoes = ? or number in (select entry from undone_too where undoes = ?)) and state = ?",
            (number, number, EntryState.DONE.value),
        )

    def steps(self, number: int) -> tuple[Step, ...]:
        """Return an entry's steps in order."""
        rows = self._rows("select body from steps where entry = ? order by number", (number,))
        try:
            return tuple(decode_step(row[0]) for row in rows)
        except ValueError as error:
            raise CouldNot(f"the steps of change {number} cannot be read: {error}", where=self.path) from error

    def close(self) -> None:
        """Close the file."""
        if self._open is not None:
            self._open.close()
            self._open = None

    def _select(self, rest: str, values: Sequence[object]) -> tuple[Entry, ...]:
        rows = self._rows(f"select * from entries {rest}", values)
        try:
            return tuple(_entry(row) for row in rows)
        except ValueError as error:
            raise CouldNot(
                f"the journal holds an entry that this version cannot read: {error}",
                where=self.path,
                next_step="update ush to the version that wrote the journal",
            ) from error

    def _rows(self, query: str, values: Sequence[object]) -> list[sqlite3.Row]:
        """Return what a question to the file brings; raises CouldNot where it cannot be read."""
        if (database := self._reading()) is None:
            return []
        try:
            return database.execute(query, values).fetchall()
        except sqlite3.Error as error:
            raise CouldNot(
                f"the journal cannot be read: {error}", where=self.path, next_step=self._way_out(error)
            ) from error

    def _reading(self) -> sqlite3.Connection | None:
        if self._open is None and not os.path.exists(self.path):
            return None
        return self._connection()

    @contextlib.contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        database = self._connection()
        try:
            database.execute("begin immediate")
            yield database
            database.execute("commit")
        except sqlite3.OperationalError as error:
            with contextlib.suppress(sqlite3.Error):
                database.execute("rollback")
            raise CouldNot(
                f"the journal cannot be written: {error}",
                where=self.path,
                next_step=ush("look", why="free disk, and where ush stores"),
            ) from error
        except BaseException:
            with contextlib.suppress(sqlite3.Error):
                database.execute("rollback")
            raise

    def _way_out(self, error: Exception) -> Command | str:
        # A full disk or a wrong mode are operational errors; what is left says that its content is not a journal's.
        if isinstance(error, OSError | sqlite3.OperationalError):
            return "free disk space or mend its mode"
        why = "the history is lost; environments and wiring stay"
        return Command(words=("mv", self.path, f"{self.path}.spoilt"), why=why)

    def _connection(self) -> sqlite3.Connection:
        if self._open is not None:
            return self._open
        try:
            os.makedirs(os.path.dirname(self.path), exist_ok=True)
            database = sqlite3.connect(self.path, timeout=30, isolation_level=None)
            database.row_factory = sqlite3.Row
            database.execute("pragma synchronous = full")
            self._prepare(database)
        except (sqlite3.Error, OSError) as error:
            raise CouldNot(
                f"the journal cannot be opened: {error}",
                where=self.path,
                next_step=self._way_out(error),
            ) from error
        self._open = database
        return database

    def _prepare(self, database: sqlite3.Connection) -> None:
        (version,) = database.execute("pragma user_version").fetchone()
        if version > VERSION:
            raise CouldNot("a newer version of ush wrote the journal", where=self.path)
        if version == 0:
            database.executescript(f"begin immediate; {SCHEMA} pragma user_version = {VERSION}; commit;")
        if version == 2:
            database.executescript(f"begin immediate; {SCHEMA} pragma user_version = {VERSION}; commit;")
        if version == 1:
            database.executescript(f"begin immediate; {FROM_1} {SCHEMA} pragma user_version = {VERSION}; commit;")
            _without_passwords(database)


def _without_passwords(database: sqlite3.Connection) -> None:
    """Take passwords out of what an earlier version wrote; such a change cannot be undone byte for byte any more."""
    database.execute("begin immediate")
    for entry, number, body in database.execute(
        "select entry, number, body from steps where body like '%@%'"
    ).fetchall():
        database.execute(
            "update steps set body = ? where entry = ? and number = ?", (PASSWORD.sub(r"\1@", body), entry, number)
        )
    for number, words, aim in database.execute(
        "select number, words, aim from entries where words like '%@%'"
    ).fetchall():
        database.execute(
            "update entries set words = ?, aim = ? where number = ?",
            (PASSWORD.sub(r"\1@", words), PASSWORD.sub(r"\1@", aim), number),
        )
    database.execute("commit")
    # What was overwritten must not stay in the free pages.
    database.execute("vacuum")


def _entry(row: sqlite3.Row) -> Entry:
    def text(name: str) -> str:
        return str(from_json_text(row[name])) if row[name] else ""

    def texts(name: str) -> tuple[str, ...]:
        found = from_json_text(row[name])
        return tuple(str(one) for one in found) if isinstance(found, list) else ()

    return Entry(
        number=row["number"],
        words=text("words"),
        aim=text("aim"),
        state=EntryState(row["state"]),
        began_seconds=row["began"],
        ended_seconds=row["ended"] or 0.0,
        worker=Worker(process=row["process"], began_seconds=row["process_began"], machine=row["machine"]),
        staging=Place(text("staging")),
        objects=texts("objects"),
        relies_on=texts("relies_on"),
        undoes=row["undoes"],
        note=text("note"),
        undoable=bool(row["undoable"]),
    )
