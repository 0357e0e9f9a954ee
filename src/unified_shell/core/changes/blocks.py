"""The one marked block in a startup file, as bytes in and bytes out.

The block tells by itself how it was put, so that taking it out leaves the bytes that were there before:
its last line says whether a newline had to be added above it, and whether the file was made for it.
"""

from enum import Enum

from msgspec import Struct

__all__ = ["Block", "BlockState", "add_block", "find_block", "make_block", "same_block", "take_block_out"]

FIRST_LINE = '#(ush) reads the search paths that "ush path" keeps; "ush shell unwire" takes these lines out'
LAST_LINE = "#(ush) end"
NEWLINE_ADDED = "; a newline was added above"
FILE_MADE = "; this file was made for them"
FIRST_BYTES, LAST_BYTES = b"#(ush) reads ", LAST_LINE.encode()


class BlockState(Enum):
    """What a startup file holds of the block."""

    ABSENT = "absent"
    WHOLE = "whole"
    DAMAGED = "half removed, or there twice"


class Block(Struct, frozen=True, kw_only=True):
    """Where the block stands in a file: byte offsets, and its text with both marker lines."""

    state: BlockState
    start: int = 0
    end: int = 0
    text: str = ""


def make_block(lines: str) -> str:
    """Return the block's text around the given lines, as it would stand in a file that ends in a newline."""
    return f"{FIRST_LINE}\n{lines.rstrip()}\n{LAST_LINE}\n"


def find_block(content: bytes) -> Block:
    """Find the block in a file."""
    starts = _line_offsets(content, FIRST_BYTES)
    ends = _line_offsets(content, LAST_BYTES)
    if not starts and not ends:
        return Block(state=BlockState.ABSENT)
    if len(starts) != 1 or len(ends) != 1 or ends[0] < starts[0]:
        return Block(state=BlockState.DAMAGED)
    newline = content.find(b"\n", ends[0])
    end = len(content) if newline < 0 else newline + 1
    text = content[starts[0] : end].decode("utf-8", "surrogateescape")
    return Block(state=BlockState.WHOLE, start=starts[0], end=end, text=text)


def add_block(content: bytes | None, block: str, *, at: int | None = None) -> bytes:
    """Return the file with the block at a byte offset, or at its end. `content` None: there is no file."""
    plain = same_block(block)
    if at is not None and content is not None and at <= len(content):
        return content[:at] + _encoded(block) + content[at:]
    ending = ""
    if content is None:
        ending = FILE_MADE
    elif content and not content.endswith(b"\n"):
        ending = NEWLINE_ADDED
    marked = plain.removesuffix("\n") + ending + "\n"
    above = b"" if content is None else content + (b"\n" if ending == NEWLINE_ADDED else b"")
    return above + _encoded(marked)


def take_block_out(content: bytes, block: Block) -> bytes | None:
    """Return the file without the block; None where the file was made for it and nothing else is in it."""
    before, after = content[: block.start], content[block.end :]
    last_line = block.text.rstrip("\n").rsplit("\n", 1)[-1]
    if last_line.endswith(FILE_MADE) and not before and not after:
        return None
    # Lines that a person added below must not be glued to the line above.
    if last_line.endswith(NEWLINE_ADDED) and not after and before.endswith(b"\n"):
        before = before[:-1]
    return before + after


def same_block(text: str) -> str:
    """Return a block's text without what its last line says of the file around it, for comparing two."""
    head, _, last = text.rstrip("\n").rpartition("\n")
    return f"{head}\n{last.removesuffix(NEWLINE_ADDED).removesuffix(FILE_MADE)}\n"


def _line_offsets(content: bytes, beginning: bytes) -> list[int]:
    found, at = [], 0
    while (at := content.find(beginning, at)) >= 0:
        if at == 0 or content[at - 1 : at] == b"\n":
            found.append(at)
        at += len(beginning)
    return found


def _encoded(text: str) -> bytes:
    return text.encode("utf-8", "surrogateescape")
