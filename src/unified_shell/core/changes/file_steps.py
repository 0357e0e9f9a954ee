"""Steps on files: replaced whole, or the one marked block put in and taken out by identity."""

import base64
import os

from msgspec import Struct

from unified_shell.core.machine.files.durable import FileMode, drop_file, read_file, replace_file
from unified_shell.core.machine.places import Place

from .blocks import Block, BlockState, add_block, find_block, same_block, take_block_out
from .step_state import StepState

__all__ = ["DropBlock", "PutBlock", "ReplaceFile", "kept_bytes"]


class ReplaceFile(Struct, frozen=True, kw_only=True):
    """Give a file other content; None stands for no file. Contents are kept in base64.

    `derived` files follow from something else that is undone by identity; undo makes them anew.
    """

    path: Place
    before: str | None
    after: str | None
    mode_bits: int = 0o644
    derived: bool = False

    @property
    def object_name(self) -> str:
        """The file; nothing for a derived one."""
        return "" if self.derived else f"file {self.path}"

    def state(self) -> StepState:
        """Compare the file with what it held and with what it will hold."""
        found = read_file(self.path)
        there = None if found is None else kept_bytes(found[0])
        if there == "" and self.after is None and os.path.islink(self.path):
            return StepState.AFTER
        if there == self.after:
            return StepState.AFTER
        return StepState.BEFORE if there == self.before else StepState.OTHER

    def carry_out(self) -> None:
        """Rename the new content over the file, or remove it."""
        found = read_file(self.path)
        mode = FileMode(bits=self.mode_bits) if found is None else found[1]
        _write(self.path, None if self.after is None else base64.b64decode(self.after), mode)

    def inverse(self, retire_to: Place) -> "ReplaceFile":  # noqa: ARG002 - contents are in the step
        """Return the step that brings the earlier content back."""
        return ReplaceFile(
            path=self.path, before=self.after, after=self.before, mode_bits=self.mode_bits, derived=self.derived
        )


class PutBlock(Struct, frozen=True, kw_only=True):
    """Put the marked block into a startup file; `at` is a byte offset, -1 the file's end."""

    path: Place
    block: str
    at: int = -1
    file_size_bytes: int = -1

    @property
    def object_name(self) -> str:
        """The block in that file."""
        return f"block in {self.path}"

    def state(self) -> StepState:
        """Look whether the block is there."""
        return _block_state(_block_in(self.path), self.block, present=StepState.AFTER, absent=StepState.BEFORE)

    def carry_out(self) -> None:
        """Write the file with the block in it; the file's mode and owner stay."""
        found = read_file(self.path)
        if found is not None and find_block(found[0]).state is not BlockState.ABSENT:
            return
        # The offset holds only in the file it was taken from; in one edited since, the end is safe.
        same_file = found is not None and len(found[0]) == self.file_size_bytes
        content = add_block(
            None if found is None else found[0], self.block, at=self.at if same_file and self.at >= 0 else None
        )
        _write(self.path, content, FileMode() if found is None else found[1])

    def inverse(self, retire_to: Place) -> "DropBlock":  # noqa: ARG002 - the block is in the step
        """Return the step that takes the block out."""
        return DropBlock(path=self.path, block=self.block)


class DropBlock(Struct, frozen=True, kw_only=True):
    """Take the marked block out of a startup file; everything else in it stays."""

    path: Place
    block: str
    at: int = -1
    file_size_bytes: int = -1

    @property
    def object_name(self) -> str:
        """The block in that file."""
        return f"block in {self.path}"

    def state(self) -> StepState:
        """Look whether the block is gone."""
        return _block_state(_block_in(self.path), self.block, present=StepState.BEFORE, absent=StepState.AFTER)

    def carry_out(self) -> None:
        """Write the file without the block; a file made for it goes with it."""
        found = read_file(self.path)
        if found is None or (block := find_block(found[0])).state is not BlockState.WHOLE:
            return
        _write(self.path, take_block_out(found[0], block), found[1])

    def inverse(self, retire_to: Place) -> PutBlock:  # noqa: ARG002 - the block is in the step
        """Return the step that puts the block back where it stood."""
        return PutBlock(path=self.path, block=self.block, at=self.at, file_size_bytes=self.file_size_bytes)


def kept_bytes(content: bytes) -> str:
    """Return a file's content as the journal keeps it."""
    return base64.b64encode(content).decode("ascii")


def _block_in(path: str) -> Block:
    found = read_file(path)
    return Block(state=BlockState.ABSENT) if found is None else find_block(found[0])


def _block_state(block: Block, wanted: str, *, present: StepState, absent: StepState) -> StepState:
    if block.state is BlockState.ABSENT:
        return absent
    if block.state is BlockState.WHOLE and same_block(block.text) == same_block(wanted):
        return present
    return StepState.OTHER


def _write(path: str, content: bytes | None, mode: FileMode) -> None:
    folder, name = os.path.split(path)
    if content is None:
        drop_file(path)
        return
    replace_file(path, content, mode, beside=os.path.join(folder, f".{name}.ush-new"))
