"""Reading a TOML file with all its mistakes at once: each with its line and what was expected."""

import datetime
import tomllib
from collections.abc import Callable, Iterator, Mapping, Sequence

from unified_shell.core.errors import DescriptionBroken, nearest

from .toml_lines import Keys, key_lines

__all__ = ["CheckedFile", "CheckedTable"]


class CheckedFile:
    """A file that is read; mistakes are collected until `finish` raises DescriptionBroken with all of them."""

    def __init__(self, content: bytes, where: str) -> None:
        self.where = where
        self._mistakes: list[tuple[int, str]] = []
        try:
            text = content.decode("utf-8")
            fields = tomllib.loads(text)
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
            raise DescriptionBroken(
                f"not valid TOML: {error}", where=where, next_step="correct it in an editor"
            ) from error
        self._lines = key_lines(text)
        self.top = CheckedTable(self, (), fields)

    def mistake(self, keys: Keys, what: str) -> None:
        """Note a mistake at the line of these keys, or of the nearest table around them."""
        while keys and keys not in self._lines:
            keys = keys[:-1]
        self._mistakes.append((self._lines.get(keys, 1), what))

    def finish(self) -> None:
        """Raise where there was any mistake."""
        if not self._mistakes:
            return
        told = [f"line {line}: {what}" for line, what in sorted(set(self._mistakes))]
        count = f"{len(told)} mistake{'s' if len(told) > 1 else ''}"
        raise DescriptionBroken(
            f"{self.where} has {count}:\n  " + "\n  ".join(told),
            next_step="correct it in an editor",
        )


class CheckedTable:
    """One table of such a file. What is read is known; `no_others` notes the keys that nobody read."""

    def __init__(self, file: CheckedFile, keys: Keys, fields: Mapping[str, object]) -> None:
        self._file, self._keys, self._fields = file, keys, fields
        self._read: set[str] = set()

    def mistake(self, key: str, what: str) -> None:
        """Note a mistake at a key of this table."""
        self._file.mistake((*self._keys, key), what)

    def has(self, key: str) -> bool:
        """Tell whether a key is there."""
        return key in self._fields

    def text(self, key: str, *, required: bool = False, fits: Callable[[str], str] | None = None) -> str:
        """Return a text; `fits` says what was expected where a text is not that."""
        value = self._value(key, str, "a text", required=required)
        if not isinstance(value, str):
            return ""
        if fits is not None and value and (expected := fits(value)):
            self.mistake(key, f"{key} = {value!r}; expected {expected}")
        return value

    def number(self, key: str, default: int = 0) -> int:
        """Return a whole number that is not negative."""
        value = self._value(key, int, "a number")
        if isinstance(value, bool) or (isinstance(value, int) and value < 0):
            self.mistake(key, f"{key} = {value!r}; expected a number from 0")
            return default
        return value if isinstance(value, int) else default

    def truth(self, key: str) -> bool:
        """Return true or false."""
        return self._value(key, bool, "true or false") is True

    def date(self, key: str) -> str:
        """Return a date, written as TOML's own or as a text `YYYY-MM-DD`; empty where it is not there."""
        self._read.add(key)
        value = self._fields.get(key)
        if value is None:
            return ""
        text = value.isoformat()[:10] if isinstance(value, datetime.date) else value
        try:
            return datetime.date.fromisoformat(str(text)).isoformat()
        except ValueError:
            self.mistake(key, f"{key} = {value!r}; expected a date such as 2026-05-01")
            return ""

    def texts(self, key: str) -> tuple[str, ...]:
        """Return a list of texts."""
        value = self._value(key, list, "a list of texts")
        if not isinstance(value, list):
            return ()
        if not all(isinstance(one, str) for one in value):
            self.mistake(key, f"{key}: expected a list of texts")
            return ()
        return tuple(value)

    def one_or_more_texts(self, key: str) -> tuple[str, ...]:
        """Return a list of texts, which may also be written as one text."""
        return (self.text(key),) if isinstance(self._fields.get(key), str) else self.texts(key)

    def whole_numbers(self, key: str) -> tuple[int, ...]:
        """Return a list of whole numbers."""
        value = self._value(key, list, "a list of numbers")
        if not isinstance(value, list):
            return ()
        if not all(isinstance(one, int) and not isinstance(one, bool) for one in value):
            self.mistake(key, f"{key}: expected a list of whole numbers, such as [0, 1]")
            return ()
        return tuple(value)

    def decimal(self, key: str) -> float | None:
        """Return a number, whole or not; None where it is not there."""
        self._read.add(key)
        value = self._fields.get(key)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int | float):
            self.mistake(key, f"{key} = {value!r}; expected a number")
            return None
        return float(value)

    def commands(self, key: str) -> tuple[tuple[str, ...], ...]:
        """Return a list of commands, each a list of words."""
        value = self._value(key, list, "a list of commands, each a list of words")
        good = isinstance(value, list) and all(
            isinstance(one, list) and one and all(isinstance(word, str) for word in one) for one in value
        )
        if isinstance(value, list) and not good:
            self.mistake(key, f"{key}: expected a list of commands, each a list of words, such as [['make']]")
        return tuple(tuple(one) for one in value) if isinstance(value, list) and good else ()

    def pairs(self, key: str) -> tuple[tuple[str, str], ...]:
        """Return a table of texts as pairs."""
        table = self.table(key)
        return tuple((name, table.text(name)) for name in table.names()) if table is not None else ()

    def many_pairs(self, key: str) -> tuple[tuple[str, str], ...]:
        """Return a table of texts, or of lists of them, as pairs: a name with each of its texts."""
        table = self.table(key)
        found: list[tuple[str, str]] = []
        for name in table.names() if table is not None else ():
            assert table is not None
            several = isinstance(table._fields[name], list)
            found += [(name, one) for one in (table.texts(name) if several else (table.text(name),))]
        return tuple(found)

    def table(self, key: str) -> "CheckedTable | None":
        """Return a table below this one."""
        value = self._value(key, dict, "a table")
        return CheckedTable(self._file, (*self._keys, key), value) if isinstance(value, dict) else None

    def tables(self, key: str) -> Iterator["CheckedTable"]:
        """Return the tables of an array, `[[key]]`."""
        value = self._value(key, list, f"one or more [[{key}]]")
        for number, one in enumerate(value if isinstance(value, list) else ()):
            if isinstance(one, dict):
                yield CheckedTable(self._file, (*self._keys, key, number), one)
            else:
                self.mistake(key, f"{key}: expected one or more [[{key}]]")

    def names(self) -> Sequence[str]:
        """Return the keys."""
        return list(self._fields)

    def no_others(self) -> None:
        """Note every key that was not read, with the nearest that is known."""
        for key in self._fields:
            if key not in self._read:
                near = nearest(key, self._read)
                expected = (
                    f"; did you mean {near}?" if near else f"; expected one of: {', '.join(sorted(self._read))}"
                )
                self.mistake(key, f"unknown key {key!r}{expected}")

    def _value(self, key: str, kind: type, expected: str, *, required: bool = False) -> object | None:
        self._read.add(key)
        if key not in self._fields:
            if required:
                self.mistake("", f"{key} is missing; expected {expected}")
            return None
        value = self._fields[key]
        if not isinstance(value, kind):
            self.mistake(key, f"{key} = {value!r}; expected {expected}")
            return None
        return value
