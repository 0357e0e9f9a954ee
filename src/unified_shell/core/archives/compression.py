"""Compressed streams, recognised by their first bytes: never by the file's name."""

import contextlib
import os
import zlib
from collections.abc import Iterator
from enum import Enum
from typing import IO, BinaryIO, cast

from unified_shell.core.errors import ArchiveBroken

from .decompressing import BittenStream

__all__ = ["ArchiveKind", "kind_of_archive", "plain_stream", "unpacked_guess"]


class ArchiveKind(Enum):
    """What a file's first bytes make of it."""

    ZIP = "zip"
    GZIP = "tar.gz"
    XZ = "tar.xz"
    BZIP2 = "tar.bz2"
    ZSTANDARD = "tar.zst"
    TAR = "tar"
    NONE = "no archive"


MAGIC = (
    (b"PK\x03\x04", ArchiveKind.ZIP),
    (b"PK\x05\x06", ArchiveKind.ZIP),
    (b"\x1f\x8b", ArchiveKind.GZIP),
    (b"\xfd7zXZ\x00", ArchiveKind.XZ),
    (b"BZh", ArchiveKind.BZIP2),
    (b"\x28\xb5\x2f\xfd", ArchiveKind.ZSTANDARD),
)
# The magic's place in a header, and a header's size: POSIX.1-2017, pax, "ustar Interchange Format".
TAR_MAGIC_AT = 257
TAR_BLOCK_BYTES = 512
# What unpacking may take: as much as the strongest usual settings need.
MEMORY_BYTES = 1 << 27


def kind_of_archive(path: str) -> ArchiveKind:
    """Say which kind of archive a file is; raises OSError where it cannot be read."""
    with open(path, "rb") as file:
        head = file.read(TAR_BLOCK_BYTES)
    for magic, kind in MAGIC:
        if head.startswith(magic):
            return kind
    is_tar = head[TAR_MAGIC_AT : TAR_MAGIC_AT + 5] == b"ustar" or _is_old_tar(head)
    return ArchiveKind.TAR if is_tar else ArchiveKind.NONE


@contextlib.contextmanager
def plain_stream(path: str, kind: ArchiveKind) -> Iterator[IO[bytes]]:
    """Open the bytes that a compressed file holds; a stream that is cut or altered raises ArchiveBroken on reading."""
    import gzip
    import lzma

    import zstandard

    try:
        with contextlib.ExitStack() as stack:
            yield _opened(path, kind, stack)
    except (EOFError, zlib.error, gzip.BadGzipFile, lzma.LZMAError, zstandard.ZstdError) as error:
        said = str(error).splitlines()[0].rstrip(".").lower() or "it ends too early"
        raise ArchiveBroken(f"the archive is damaged: {said}", where=path, next_step="fetch it again") from error
    except OSError as error:
        # What bzip2 finds wrong has no number; what the disk does has one.
        if error.errno is not None:
            raise
        raise ArchiveBroken(f"the archive is damaged: {error}", where=path, next_step="fetch it again") from error


def _opened(path: str, kind: ArchiveKind, stack: contextlib.ExitStack) -> IO[bytes]:
    if kind is ArchiveKind.GZIP:
        import gzip

        return cast("BinaryIO", stack.enter_context(gzip.open(path)))
    file = stack.enter_context(open(path, "rb"))  # noqa: SIM115 - the stack closes it
    if kind is ArchiveKind.XZ:
        import lzma

        new = lambda: lzma.LZMADecompressor(memlimit=MEMORY_BYTES)  # noqa: E731 - one of three
        return cast("BinaryIO", stack.enter_context(BittenStream(file, new, padding=b"\0")))
    if kind is ArchiveKind.BZIP2:
        import bz2

        return cast("BinaryIO", stack.enter_context(BittenStream(file, bz2.BZ2Decompressor)))
    if kind is ArchiveKind.ZSTANDARD:
        import zstandard

        library = zstandard.ZstdDecompressor(max_window_size=MEMORY_BYTES)
        return cast("BinaryIO", stack.enter_context(BittenStream(file, library.decompressobj)))
    return file


def _is_old_tar(head: bytes) -> bool:
    """Tell a tar archive without a magic (version 7) by its header's checksum."""
    if len(head) < TAR_BLOCK_BYTES or not head.strip(b"\0"):
        return False
    try:
        told = int(head[148:156].strip(b"\0 ") or b"x", 8)
    except ValueError:
        return False
    return told == sum(head[:148]) + 8 * 32 + sum(head[156:])


def unpacked_guess(path: str, kind: ArchiveKind) -> int:
    """Guess how many bytes an archive unpacks to, from its size and kind."""
    ratio = {ArchiveKind.TAR: 1, ArchiveKind.XZ: 7, ArchiveKind.ZSTANDARD: 5}.get(kind, 4)
    return os.path.getsize(path) * ratio
