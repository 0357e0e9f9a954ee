"""What interpreters said of themselves, kept as long as nothing changed that it depends on.

An answer is kept with marks of files and folders: the executable and what its links lead to, the standard
library and the folders of packages (an optional part may arrive later), the system's list of libraries. It
is used again only while every mark is the same.
"""

import os
from collections.abc import Iterable

from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.places import from_json_text, join, to_json_text

__all__ = ["Answers"]

FORMAT = 1
# Each change of an interpreter makes a new answer; the newest count.
MOST = 400
# It changes when libraries of the system come or go, and with them what an interpreter can load.
SYSTEM_LIBRARIES = "/etc/ld.so.cache"
Mark = list[int | str] | None


class Answers:
    """The answers of all interpreters, read once and written by `save`."""

    def __init__(self, cache_folder: str) -> None:
        self._file = join(cache_folder, "interpreters.json")
        self._known = _read(self._file)
        self._changed = False

    def recall(self, key: str) -> object | None:
        """Return what was kept under a key, or None where there is nothing or something changed since."""
        kept = self._known.get(key)
        if not isinstance(kept, dict):
            return None
        marks = kept["marks"]
        if any(_mark(path) != mark for path, mark in marks.items()):
            return None
        answer: object = kept["answer"]
        return answer

    def keep(self, key: str, answer: object, depends_on: Iterable[str]) -> None:
        """Keep an answer with the marks of all that it depends on."""
        marks = {path: _mark(path) for path in (*depends_on, SYSTEM_LIBRARIES)}
        self._known.pop(key, None)
        self._known[key] = {"marks": marks, "answer": answer}
        self._changed = True

    def save(self) -> None:
        """Write what is new; an account whose cache cannot be written does without."""
        if not self._changed:
            return
        newest = dict(list(self._known.items())[-MOST:])
        content = to_json_text({"format": FORMAT, "answers": newest}).encode("ascii")
        write_cached(self._file, content)
        self._changed = False


def _mark(path: str) -> Mark:
    """Return what changes when a file does: that of a link itself, and of what it leads to."""
    try:
        facts = os.stat(path)
        leads_to = os.readlink(path) if os.path.islink(path) else ""
    except (OSError, ValueError):
        return None
    return [facts.st_ino, facts.st_size, facts.st_mtime_ns, leads_to]


def _read(file: str) -> dict[str, object]:
    try:
        with open(file, encoding="ascii") as opened:
            read = from_json_text(opened.read())
    except (OSError, ValueError):
        return {}
    if not isinstance(read, dict) or read.get("format") != FORMAT or not isinstance(read.get("answers"), dict):
        return {}
    answers: dict[str, object] = read["answers"]
    return answers
