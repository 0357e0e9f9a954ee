"""The links of an HTML page, read in one pass: the time is in proportion to the page, whatever is in it.

The standard library's parser needs quadratic time for tags that never end, and gives up on some declarations.
Source: the HTML Standard's tokenization, as far as links need it; PEP 503 for what an index puts into them.
"""

import html
import re
from collections.abc import Iterator, Mapping

__all__ = ["Link", "links_of"]

# Possessive: nothing is read twice.
TAG = re.compile(r"<(?:!--(?P<comment>)|(?P<name>[A-Za-z][^\s/>]*+)|/(?P<end>[A-Za-z]))")
ATTRIBUTE = re.compile(
    r"[\s/]*+(?:(?P<done>>)|(?P<name>[^\s/>=][^\s/>=]*+)"
    r"(?:\s*+=\s*+(?:\"(?P<double>[^\"]*+)\"|'(?P<single>[^']*+)'|(?P<bare>[^\s>\"'][^\s>]*+)))?+|=)"
)
READ = frozenset({"a", "base"})
Link = tuple[str, Mapping[str, str]]


def links_of(text: str) -> Iterator[Link]:
    """Yield the `a` and `base` tags, each with its attributes; a tag that does not end is left out."""
    at = 0
    while (found := TAG.search(text, at)) is not None:
        at = found.end()
        if found["comment"] is not None:
            end = text.find("-->", at)
            if end < 0:
                return
            at = end + 3
        elif found["name"] is not None:
            attributes, at = _attributes(text, at)
            name = found["name"].lower()
            if attributes is not None and name in READ:
                yield name, attributes


def _attributes(text: str, at: int) -> tuple[dict[str, str] | None, int]:
    """Return a tag's attributes, the first of each name, and where it ends; None where it does not."""
    values: dict[str, str] = {}
    while (found := ATTRIBUTE.match(text, at)) is not None:
        at = found.end()
        if found["done"]:
            return values, at
        if found["name"]:
            raw = found["double"] or found["single"] or found["bare"] or ""
            values.setdefault(found["name"].lower(), _unescaped(raw))
    # A quote that never ends: the tag reaches to the end of the page, or what is left is no attribute.
    return None, at + 1 if at < len(text) else len(text)


def _unescaped(raw: str) -> str:
    try:
        return html.unescape(raw)
    except ValueError:
        # A character reference of more digits than the interpreter turns into a number.
        return raw
