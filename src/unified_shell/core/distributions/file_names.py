"""Names of distribution files, checked where they come in: only a `FileName` becomes part of a path.

Source: the file name conventions of wheels (PEP 427) and source distributions (PEP 625), and what came before them.
"""

import re
from typing import NewType

__all__ = ["FileName", "parse_file_name"]

FileName = NewType("FileName", str)

# The letters that both conventions are made of. `~` and blanks stand in no name that an index takes.
GRAMMAR = re.compile(r"[A-Za-z0-9_][A-Za-z0-9._+!-]*")
# A cache adds an ending, and file systems bear 255 bytes.
MOST_BYTES = 240


def parse_file_name(text: str) -> FileName | None:
    """Return a file's name that holds no separator and nothing that a path could be led astray by, else None."""
    return FileName(text) if len(text) <= MOST_BYTES and GRAMMAR.fullmatch(text) else None
