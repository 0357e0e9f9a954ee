"""The one border between what comes from outside and a terminal.

A server's words, a wheel's name or an interpreter's error may hold control sequences, which a terminal obeys, or letters
that turn a line's direction round. They are written as escapes, which can be read and do nothing.
"""

import codecs
import re
from functools import cache

__all__ = ["ENCODING_ERRORS", "ISOLATES", "isolated", "plain_text"]

# First strong isolate, and pop directional isolate (UAX #9).
ISOLATES = "\u2068\u2069"
# Letters of scripts that run from right to left.
RIGHT_TO_LEFT = "[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufefc]"

# The name of the handler for what a stream's encoding lacks.
ENCODING_ERRORS = "ush_plain"
ASCII = {"→": "->", "…": "...", "·": "-", "–": "-", "—": "-", "×": "x", "’": "'", "“": '"', "”": '"', "✓": "ok"}


def plain_text(text: str) -> str:
    """Return text in which nothing but line ends and tabs is a command to the terminal."""
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() or c in "\n\t" else _escaped(c) for c in text)


def isolated(text: str) -> str:
    """Return plain text for a terminal, each name that runs from right to left on its own: what is beside it stays in place."""
    if text.isascii():
        return text
    return _names_from_right_to_left().sub(lambda found: f"{ISOLATES[0]}{found[0]}{ISOLATES[1]}", text)


# Made where one is shown: it takes longer than all else that loading this module does.
@cache
def _names_from_right_to_left() -> re.Pattern[str]:
    return re.compile(f"{RIGHT_TO_LEFT}(?:[ .,_-]*{RIGHT_TO_LEFT})*")


def _escaped(letter: str) -> str:
    # A byte that is not UTF-8 stands as a lone surrogate (PEP 383).
    return f"\\x{ord(letter) - 0xDC00:02x}" if "\udc80" <= letter <= "\udcff" else repr(letter)[1:-1]


def _in_ascii(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    wrong = error.object[error.start : error.end]
    return "".join(ASCII.get(c, "?") for c in wrong), error.end


codecs.register_error(ENCODING_ERRORS, _in_ascii)
