"""Paths within texts: found as whole paths, never as a part of another one's name.

`/srv/env` stands in `PREFIX=/srv/env/bin` and in `-I/srv/env/include`; it does not stand in `/srv/env-data/recordings`,
nor in `/data/srv/env`.
"""

import functools
import os
import re

__all__ = ["names_place", "with_place_replaced"]

# A name goes on with these, at its end and before its beginning; what is not ASCII is a letter of some language.
NAME_GOES_ON = rb"[A-Za-z0-9_.+~\x80-\xff-]"
# Compilers take a folder without a blank after the option.
COMPILER_OPTION = rb"(?<=-[BFILR])"
# `./srv/env` in build settings: the place below another root.
BELOW_HERE = rb"(?<=[\s'\"=:,;(\[]\.)"
SENTENCE_ENDS = rb"\.(?=\s|$)"


def names_place(content: bytes, place: str) -> bool:
    """Tell whether a text names a place, or something below it."""
    raw = os.fsencode(place)
    return raw in content and _pattern(raw).search(content) is not None


def with_place_replaced(content: bytes, old: str, new: str) -> bytes:
    """Return a text that names the new place wherever it named the old one, or something below it."""
    raw, fresh = os.fsencode(old), os.fsencode(new)
    return _pattern(raw).sub(lambda _: fresh, content) if raw in content else content


@functools.lru_cache(maxsize=8)
def _pattern(place: bytes) -> re.Pattern[bytes]:
    before = rb"(?:(?<!" + NAME_GOES_ON + rb")|" + COMPILER_OPTION + rb"|" + BELOW_HERE + rb")"
    after = rb"(?=" + SENTENCE_ENDS + rb"|(?!" + NAME_GOES_ON + rb"))"
    return re.compile(before + re.escape(place) + after)
