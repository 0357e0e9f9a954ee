"""The headers of a metadata file, up to the first empty line: fields with a name each, folded over several lines, in UTF-8.

Source: the Core metadata specification, which takes the form of e-mail's headers (RFC 822) as the standard library reads it.
That library itself takes bytes beyond ASCII for unknown ones, and loads for longer than a list of packages takes.
"""

import re
from collections.abc import Mapping

from msgspec import Struct

__all__ = ["Headers", "read_headers"]

LINE_END = re.compile(r"\r\n|\r|\n")
# Printable letters but the colon.
NAME = re.compile(r"[!-9;-~]*")


class Headers(Struct, frozen=True):
    """The values of each field in their order, by its name in small letters."""

    values: Mapping[str, list[str]]

    def first(self, name: str) -> str:
        """Return a field's first value without white space around it; an empty text where there is none."""
        return next(iter(self.every(name)), "")

    def every(self, name: str) -> list[str]:
        """Return all values of a field that may be there several times."""
        return [one.strip() for one in self.values.get(name.lower(), ())]


def read_headers(content: bytes) -> Headers:
    """Return the headers; they end at an empty line, or at one that is none."""
    values: dict[str, list[str]] = {}
    last: list[str] = []
    for line in LINE_END.split(content.decode("utf-8", "replace")):
        if line[:1] in (" ", "\t"):
            # What goes on where nothing began is passed over.
            last[-1:] = [f"{one}\n{line}" for one in last[-1:]]
            continue
        name, colon, value = line.partition(":")
        if not colon or not NAME.fullmatch(name):
            break
        # One without a name is passed over, with what goes on below it.
        last = values.setdefault(name.lower(), []) if name else []
        last.append(value)
    return Headers(values)
