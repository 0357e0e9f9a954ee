"""Compressed streams read in small bites: none of them unpacks to more at once than memory bears, and none ends early.

The libraries' own readers take a cut stream of some kinds for its end, and give a bite's whole output at once: 45 bytes
of bzip2 may stand for 900,000.
"""

import contextlib
from collections.abc import Callable
from typing import BinaryIO, Protocol

__all__ = ["BittenStream", "Decompressor"]

# Small, so that what is unpacked from one bite of a bomb stays within the limits that are checked between bites.
BITE_BYTES = 1024


class Decompressor(Protocol):
    """What the libraries' decompressors have in common; one of them reads one frame, or stream."""

    @property
    def eof(self) -> bool:
        """Whether the frame ended."""

    @property
    def unused_data(self) -> bytes:
        """What came after its end."""

    def decompress(self, data: bytes, /) -> bytes:
        """Return what can be told so far."""


class BittenStream(contextlib.AbstractContextManager["BittenStream"]):
    """A readable stream of the frames of a file, one after another; raises EOFError where the last is cut."""

    def __init__(self, file: BinaryIO, new: Callable[[], Decompressor], *, padding: bytes = b"") -> None:
        self._file, self._new, self._padding = file, new, padding
        self._frame, self._begun = new(), False
        self._ready, self._at = b"", 0

    def __exit__(self, *_: object) -> None:
        self._file.close()

    def read(self, size: int = -1) -> bytes:
        """Return up to `size` bytes, all for -1."""
        parts, wanted = [], size
        while wanted:
            if self._at >= len(self._ready) and not self._fill():
                break
            end = len(self._ready) if wanted < 0 else min(self._at + wanted, len(self._ready))
            parts.append(self._ready[self._at : end])
            wanted = wanted - len(parts[-1]) if wanted > 0 else wanted
            self._at = end
        return b"".join(parts)

    def _fill(self) -> bool:
        """Have more ready; returns whether there is any."""
        while raw := self._file.read(BITE_BYTES):
            self._ready, self._at = self._plain(raw), 0
            if self._ready:
                return True
        if self._begun:
            raise EOFError("the compressed stream ends too early")
        return False

    def _plain(self, raw: bytes) -> bytes:
        parts = []
        while raw:
            # Between the streams of a file some formats allow zeros.
            if not self._begun and self._padding and not (raw := raw.lstrip(self._padding)):
                break
            self._begun = True
            parts.append(self._frame.decompress(raw))
            if not self._frame.eof:
                break
            raw, self._frame, self._begun = self._frame.unused_data, self._new(), False
        return b"".join(parts)
