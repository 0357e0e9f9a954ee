"""Files that a command must have made: their size, their tables, their numbers, their pictures."""

import csv
import os
import re

from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.own_extras import extra_line
from unified_shell.core.machine.places import join

from .expectation import Comparison, ExpectedFile

__all__ = ["difference", "file_trouble"]

# Rows beyond these are counted, but their numbers not compared.
MOST_ROWS = 1_000_000


def file_trouble(expected: ExpectedFile, folder: str) -> tuple[str, str]:
    """Return what is wrong with a file, and why something of it was not tried; empty for nothing."""
    path = join(folder, expected.file)
    if not os.path.isfile(path):
        return f"{expected.file} was not made", ""
    size = os.path.getsize(path)
    if size < max(expected.least_bytes, 1):
        return f"{expected.file} has {size} bytes", ""
    if expected.rows or expected.least_rows or expected.columns or expected.column:
        trouble = _table_trouble(expected, path)
        if trouble:
            return f"{expected.file} {trouble}", ""
    if expected.same_as:
        other = join(folder, expected.same_as)
        if not os.path.isfile(other):
            return f"{expected.same_as}, which {expected.file} is to equal, does not exist", ""
        if digest_of_file(other) != digest_of_file(path):
            return f"{expected.file} differs from {expected.same_as}", ""
    if expected.says or expected.counts or expected.numbers:
        trouble = _text_trouble(expected, _lines(path, ""))
        if trouble:
            return f"{expected.file} {trouble}", ""
    return _picture_trouble(expected, path) if expected.picture else ("", "")


def difference(expected: ExpectedFile, serial: str, parallel: str) -> str:
    """Return how two results of the same command differ, as the expectation compares them; empty where they do not."""
    if expected.compare is Comparison.NOT_COMPARED:
        return ""
    gone = next((one for one in (serial, parallel) if not os.path.isfile(one)), "")
    if gone:
        return f"{gone} was not made"
    if expected.compare is Comparison.BYTES:
        return "" if digest_of_file(serial) == digest_of_file(parallel) else f"{parallel} differs"
    ours, theirs = (_lines(one, expected.leave_out) for one in (serial, parallel))
    if expected.compare is Comparison.SORTED_LINES:
        ours, theirs = sorted(ours), sorted(theirs)
    if len(ours) != len(theirs):
        return f"{parallel} has {len(theirs)} lines to compare, {serial} has {len(ours)}"
    unequal = next((pair for pair in zip(ours, theirs, strict=True) if pair[0] != pair[1]), None)
    return f"{parallel} has {unequal[1][:80]!r}, {serial} has {unequal[0][:80]!r}" if unequal else ""


def _lines(path: str, leave_out: str) -> list[str]:
    with open(path, encoding="utf-8", errors="replace") as file:
        lines = file.read().splitlines()
    return [one for one in lines if not re.search(leave_out, one)] if leave_out else lines


def _text_trouble(expected: ExpectedFile, lines: list[str]) -> str:
    text = "\n".join(lines)
    lacking = next((one for one in expected.says if one not in text), "")
    if lacking:
        return f"does not say {lacking!r}"
    for pattern, times in expected.counts:
        found = len(re.findall(pattern, text, re.MULTILINE))
        if found != times:
            return f"has {found} of '{pattern}', not {times}"
    for number in expected.numbers:
        match = re.search(number.pattern, text, re.MULTILINE)
        try:
            value = float(match[1]) if match else None
        except (ValueError, IndexError):
            value = None
        if value is None:
            return f"has no number at '{number.pattern}'"
        if not abs(value - number.value) <= number.within:
            bound = f", give or take {number.within:g}" if number.within else ""
            return f"has {value:.10g} at '{number.pattern}'; expected {number.value:.10g}{bound}"
    return ""


def _table_trouble(expected: ExpectedFile, path: str) -> str:
    try:
        with open(path, newline="", encoding="utf-8") as file:
            first = file.readline()
            file.seek(0)
            delimiter = max(",;\t", key=first.count)
            rows = list(csv.reader(file, delimiter=delimiter))
    except (UnicodeDecodeError, csv.Error) as error:
        return f"is not a table: {error}"
    rows = [row for row in rows if row]
    header, body = (rows[0], rows[1:]) if rows else ([], [])
    if expected.rows and len(body) != expected.rows:
        return f"has {len(body)} rows, not {expected.rows}"
    if len(body) < expected.least_rows:
        return f"has {len(body)} rows, fewer than {expected.least_rows}"
    uneven = next((number for number, row in enumerate(rows, 1) if len(row) != len(header)), 0)
    if expected.columns and (len(header) != expected.columns or uneven):
        where = f"row {uneven} has {len(rows[uneven - 1])}" if uneven else f"has {len(header)}"
        return f"{where} columns, not {expected.columns}"
    return _column_trouble(expected, header, body) if expected.column else ""


def _column_trouble(expected: ExpectedFile, header: list[str], body: list[list[str]]) -> str:
    names = [one.strip() for one in header]
    if expected.column not in names:
        return f"has no column {expected.column}; it has {', '.join(names)}"
    at = names.index(expected.column)
    for number, row in enumerate(body[:MOST_ROWS], 1):
        try:
            value = float(row[at])
        except (ValueError, IndexError):
            return f"has no number in row {number} of {expected.column}"
        low = expected.least is not None and not value >= expected.least
        high = expected.most is not None and not value <= expected.most
        if low or high:
            bound = f"at least {expected.least}" if low else f"at most {expected.most}"
            return f"has {value} in row {number} of {expected.column}; expected {bound}"
    return ""


def _picture_trouble(expected: ExpectedFile, path: str) -> tuple[str, str]:
    try:
        from PIL import Image
    except ImportError:
        return "", f"opening a picture needs the plots extra: {extra_line('plots')}"
    try:
        with Image.open(path) as picture:
            picture.load()
    except (OSError, SyntaxError, ValueError) as error:
        return f"{expected.file} is not a picture that opens: {error}", ""
    return "", ""
