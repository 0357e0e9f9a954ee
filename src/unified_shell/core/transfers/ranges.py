"""A file on a server that is read where it is looked at, by HTTP ranges.

Source: RFC 9110, section 14. Servers differ: some know `bytes=-N`, some only `bytes=A-B`, some no ranges at all.
"""

import io
import re

from .fetching import Fetcher, KnownParts

__all__ = ["RangesRefused", "RemoteFile"]

# The list of members, and the metadata, which most wheels hold at their end, are within this.
TAIL_BYTES = 100_000
CHUNK_BYTES = 32_768


class RangesRefused(Exception):
    """The server gives the whole file only."""


class RemoteFile(io.BytesIO):
    """A readable, seekable file; what was fetched is kept. Raises RangesRefused on the first read where it must."""

    def __init__(self, fetcher: Fetcher, address: str) -> None:
        super().__init__()
        self._fetcher, self._address = fetcher, address
        self._at = 0
        # What was read of it in this call is not asked for a second time.
        self._known = fetcher.known_parts.setdefault(address, KnownParts())

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        """Move to a place; its size is asked for where it is needed."""
        if whence == io.SEEK_END:
            self._open()
            offset += self._known.size_bytes
        elif whence == io.SEEK_CUR:
            offset += self._at
        self._at = max(offset, 0)
        return self._at

    def tell(self) -> int:
        """Return the place."""
        return self._at

    def read(self, size: int | None = -1) -> bytes:
        """Return the bytes there."""
        self._open()
        end = self._known.size_bytes if size is None or size < 0 else min(self._at + size, self._known.size_bytes)
        found = self._bytes(self._at, end) if end > self._at else b""
        self._at += len(found)
        return found

    def _bytes(self, start: int, end: int) -> bytes:
        for first, content in self._known.parts:
            if first <= start and end <= first + len(content):
                return content[start - first : end - first]
        last = max(end, min(start + CHUNK_BYTES, self._known.size_bytes))
        self._take(f"bytes={start}-{last - 1}")
        return self._bytes(start, end)

    def _open(self) -> None:
        """Fetch the end of the file, and with it learn its size."""
        if self._known.size_bytes >= 0:
            return
        try:
            self._take(f"bytes=-{TAIL_BYTES}")
        except RangesRefused:
            # Some refuse this form and know the other; the first byte tells the size.
            self._take("bytes=0-0")
            if self._known.size_bytes > 1:
                self._take(f"bytes={max(self._known.size_bytes - TAIL_BYTES, 0)}-{self._known.size_bytes - 1}")

    def _take(self, wanted: str) -> None:
        answer = self._fetcher.get_range(self._address, wanted)
        found = re.fullmatch(r"bytes (\d+)-(\d+)/(\d+)", answer.content_range)
        if answer.status != 206 or found is None:
            raise RangesRefused
        start, end, self._known.size_bytes = int(found[1]), int(found[2]) + 1, int(found[3])
        if len(answer.content) != end - start:
            raise RangesRefused
        self._known.parts.append((start, answer.content))
