"""The headers of a metadata file, up to the first empty line: fields with a name each, folded over several lines, in UTF-8.

Source: the Core metadata specification, which takes the form of e-mail's headers (RFC 822) as the standard library reads it.
That library itself takes bytes beyond ASCII for unknown ones, and loads for longer than a list of packages takes.
"""

import re

from msgspec import Struct

__all__ = ["Headers", "read_headers"]

LINE_END = re.compile(r"\r\n|\r|\n")
# Printable letters but the colon.
NAME = re.compile(r"[!-9;-~]*")


class Headers(Struct, frozen=True):
    """The fields in their order: names in small letters, and values."""

    fields: tuple[tuple[str, str], ...]

    def first(self, name: str) -> str:
        """Return a field's first value without white space around it; an empty text where there is none."""
        return next(iter(self.every(name)), "")

    def every(self, name: str) -> list[str]:
        """Return all values of a field that may be there several times."""
        wanted = name.lower()
        return [value.strip() for one, value in self.fields if one == wanted]


def read_headers(content: bytes) -> Headers:
    """Return the headers; they end at an empty line, or at one that is none."""
    fields: list[tuple[str, list[str]]] = []
    goes_on = False
    for line in LINE_END.split(content.decode("utf-8", "replace")):
        if line[:1] in (" ", "\t"):
            # What goes on where nothing began is passed over.
            if goes_on:
                fields[-1][1].append(line)
            continue
        name, colon, value = line.partition(":")
        if not colon or not NAME.fullmatch(name):
            break
        # One without a name is passed over too, with what goes on below it.
        goes_on = bool(name)
        if goes_on:
            fields.append((name.lower(), [value]))
    return Headers(tuple((name, "\n".join(lines)) for name, lines in fields))
