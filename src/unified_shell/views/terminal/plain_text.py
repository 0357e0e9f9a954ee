"""The one border between what comes from outside and a terminal.

A server's words, a wheel's name or an interpreter's error may hold control sequences, which a terminal obeys, or letters
that turn a line's direction round. They are written as escapes, which can be read and do nothing.
"""

import codecs

__all__ = ["ENCODING_ERRORS", "plain_text"]

# The name of the handler for what a stream's encoding lacks.
ENCODING_ERRORS = "ush_plain"
ASCII = {"→": "->", "…": "...", "·": "-", "–": "-", "—": "-", "×": "x", "’": "'", "“": '"', "”": '"', "✓": "ok"}


def plain_text(text: str) -> str:
    """Return text in which nothing but line ends and tabs is a command to the terminal."""
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() or c in "\n\t" else _escaped(c) for c in text)


def _escaped(letter: str) -> str:
    # A byte that is not UTF-8 stands as a lone surrogate (PEP 383).
    return f"\\x{ord(letter) - 0xDC00:02x}" if "\udc80" <= letter <= "\udcff" else repr(letter)[1:-1]


def _in_ascii(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    wrong = error.object[error.start : error.end]
    return "".join(ASCII.get(c, "?") for c in wrong), error.end


codecs.register_error(ENCODING_ERRORS, _in_ascii)
