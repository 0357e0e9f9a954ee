"""Paths as one type that survives names which are not UTF-8.

A `Place` is text in which each byte that is not UTF-8 stands as a lone surrogate (PEP 383). `to_json_text`
escapes those, so a place goes through JSON and back unharmed.
"""

import codecs
import ntpath
import os
from typing import NewType

from .path_rules import HERE

__all__ = [
    "Place",
    "from_json_text",
    "from_record_text",
    "in_home",
    "inside",
    "join",
    "lies_in",
    "parent_folder",
    "shown",
    "to_json_text",
    "to_record_text",
    "typed",
]

Place = NewType("Place", str)


def join(first: str, *rest: str) -> Place:
    """Return the place below `first`."""
    return Place(os.path.join(first, *rest))


def parent_folder(place: str, *, is_windows: bool = False) -> str:
    """Return the folder that a file is in, by the rules of the system that the path is of."""
    return ntpath.dirname(place) if is_windows else os.path.dirname(place)


def inside(place: str, parent: str) -> bool:
    """Tell whether `place` is `parent` or lies below it, by names alone."""
    return HERE.inside(place, parent)


def lies_in(place: str, parent: str) -> bool:
    """Tell whether `place` is `parent` or lies below it, by names or once links in both are followed."""
    return inside(place, parent) or inside(os.path.realpath(place), os.path.realpath(parent))


def in_home(place: str, home: str) -> str | None:
    """Return the part of `place` below the home directory, or None where it is elsewhere, or the home itself."""
    return (HERE.below(place, home) or None) if home.rstrip("/") else None


def shown(place: str, home: str = "") -> str:
    """Return `place` as a person reads it: one line, `~` for the home, no control characters.

    On Windows it is left whole: its prompt knows no `~`.
    """
    home = "" if HERE.is_windows else home
    below = in_home(place, home) if home else None
    text = place if below is None else f"~/{below}"
    if home and place == home.rstrip("/"):
        text = "~"
    return "".join(c if c.isprintable() else repr(c)[1:-1] for c in text)


def typed(place: str, home: str = "") -> str:
    """Return `place` as a person types it into a shell: quoted where it must be, `~` left to expand."""
    if HERE.is_windows:
        # No name has quotes there; without blanks and what shells act on, none are needed.
        return place if all(c.isalnum() or c in "/\\-_.+@:~" for c in place) else f'"{place}"'
    if place.isascii() and place.isprintable() and all(c.isalnum() or c in "/-_.,+@%:=" for c in place):
        return shown(place, home)
    below = in_home(place, home) if home else None
    text = place if below is None else below
    quoted = "'" + text.replace("'", "'\\''") + "'"
    return quoted if below is None else f"~/{quoted}"


def to_json_text(value: object) -> str:
    """Return JSON in ASCII; lone surrogates come out as escapes and are read back as they were."""
    import json

    return json.dumps(value, ensure_ascii=True, separators=(",", ":"))


def from_json_text(text: str | bytes) -> object:
    """Return what `to_json_text` was given."""
    import json

    value: object = json.loads(text)
    return value


def to_record_text(place: str) -> str:
    """Return text that is valid UTF-8: bytes that are not, and `%` itself, as `%XX`."""
    raw = os.fsencode(place.replace("%", "%25"))
    return raw.decode("utf-8", "percent_bytes")


def from_record_text(text: str) -> Place:
    """Return the place that `to_record_text` was given."""
    if "%" not in text and text.isascii():
        # As nearly every place is: the library takes longer to load than all places to be read.
        return Place(text)
    import urllib.parse

    return Place(os.fsdecode(urllib.parse.unquote_to_bytes(text)))


def _percent_bytes(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeDecodeError):
        raise error
    wrong = error.object[error.start : error.end]
    return "".join(f"%{byte:02X}" for byte in wrong), error.end


codecs.register_error("percent_bytes", _percent_bytes)
