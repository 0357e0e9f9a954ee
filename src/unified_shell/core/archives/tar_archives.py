"""Tar archives, read as a stream: plain, gzip, xz, bzip2, Zstandard.

The headers are read by the standard library; nothing is unpacked by it, since its filters were escaped.
Source of the format: POSIX.1-2001 pax, and the two zero blocks that end an archive.
"""

import itertools
import os
import tarfile
from typing import IO, Self, cast

from unified_shell.core.errors import ArchiveBroken

from .compression import ArchiveKind, plain_stream
from .members import Limits, member_parts
from .tree import Tree, Unpacked

__all__ = ["names_in_tar", "unpack_tar"]

DEFAULT_LIMITS = Limits()
# Source archives of mostly equal lines come to 25; the limits' ratio is for zip, whose members stand alone.
STRONG = {ArchiveKind.XZ: 4, ArchiveKind.BZIP2: 4, ArchiveKind.ZSTANDARD: 4}
# Two blocks of zeros end an archive (POSIX.1-2017, pax).
END_BYTES = 1024
EXTENDED = (
    *(tarfile.XHDTYPE, tarfile.XGLTYPE, tarfile.SOLARIS_XHDTYPE),
    *(tarfile.GNUTYPE_LONGNAME, tarfile.GNUTYPE_LONGLINK),
)
# Extended headers are read into memory; real ones hold a few names.
MOST_EXTENDED_BYTES = 1_000_000
# Headers that are altered bring the library to all of these; it reads one header from within another.
DAMAGED = (tarfile.TarError, ValueError, OverflowError, RecursionError, LookupError, AttributeError, TypeError)


class _BoundedInfo(tarfile.TarInfo):
    """A member's header; one that goes on in more than any honest name needs is refused before it is read, and so is one
    that tells of more than the archive may hold: the library would go looking for its end.
    """

    most_bytes = 0

    @classmethod
    def frombuf(cls, buf: bytes | bytearray, encoding: str, errors: str) -> Self:
        """Return the header in a block."""
        info = super().frombuf(buf, encoding, errors)
        if info.type in EXTENDED and info.size > MOST_EXTENDED_BYTES:
            raise tarfile.ReadError(f"a header of {info.size} bytes")
        if info.size > cls.most_bytes:
            raise tarfile.ReadError(f"a member of {info.size} bytes is far more than its size allows")
        return info


class _Watched:
    """A stream that knows how far it was read, and where its last byte is that is not zero; it ends at a limit."""

    def __init__(self, stream: IO[bytes], limit_bytes: int, archive: str) -> None:
        self._stream = stream
        self.limit_bytes, self._archive = limit_bytes, archive
        self.position = 0
        self.last_content = 0

    def read(self, size: int = -1) -> bytes:
        """Return up to `size` bytes."""
        chunk = self._stream.read(size)
        if content := len(chunk.rstrip(b"\0")):
            self.last_content = self.position + content
        self.position += len(chunk)
        if self.position > self.limit_bytes:
            raise ArchiveBroken(
                "the archive unpacks to far more than its size allows, as if made to fill the disk",
                where=self._archive,
            )
        return chunk


def unpack_tar(
    archive: str, folder: str, kind: ArchiveKind, *, limits: Limits = DEFAULT_LIMITS
) -> tuple[Unpacked, ...]:
    """Unpack into `folder`, which must not exist, and return the files that were made.

    Folders, regular files (0755 for executables, else 0644), second names of files of the archive, and
    relative links that stay inside; times are kept, owners are not. Raises ArchiveBroken as `unpack_zip` does,
    and for an archive that ends before its end marker.
    """
    allowed = _allowed_bytes(archive, kind, limits)
    made: list[Unpacked] = []
    try:
        with plain_stream(archive, kind) as stream, Tree(folder, archive, allowed) as tree:
            watched = _Watched(stream, allowed, archive)
            with _opened(watched) as opened:
                for number, info in enumerate(opened):
                    if number >= limits.members:
                        raise ArchiveBroken(f"the archive has more than {limits.members} members", where=archive)
                    _take(opened, info, tree, archive, made)
                end = opened.offset
            _check_end(watched, end, archive)
            tree.make_links()
    except DAMAGED as error:
        raise ArchiveBroken(f"the archive is damaged: {error}", where=archive, next_step="fetch it again") from error
    return tuple(made)


def _opened(watched: _Watched) -> tarfile.TarFile:
    bounded = type("_Bounded", (_BoundedInfo,), {"most_bytes": watched.limit_bytes})
    return tarfile.open(fileobj=cast("IO[bytes]", watched), mode="r|", errorlevel=2, tarinfo=bounded)


def _allowed_bytes(archive: str, kind: ArchiveKind, limits: Limits) -> int:
    return limits.allowed_bytes(os.path.getsize(archive)) * STRONG.get(kind, 1)


def names_in_tar(archive: str, kind: ArchiveKind, most: int) -> tuple[str, ...]:
    """Return the first names; raises ArchiveBroken where the archive cannot be read."""
    try:
        with plain_stream(archive, kind) as stream:
            watched = _Watched(stream, _allowed_bytes(archive, kind, DEFAULT_LIMITS), archive)
            with _opened(watched) as opened:
                return tuple(info.name for info in itertools.islice(opened, most))
    except DAMAGED as error:
        raise ArchiveBroken(f"the archive is damaged: {error}", where=archive, next_step="fetch it again") from error


def _take(opened: tarfile.TarFile, info: tarfile.TarInfo, tree: Tree, archive: str, made: list[Unpacked]) -> None:
    parts = _parts(info.name, archive)
    if not parts:
        return
    if info.isdir():
        tree.folder(parts)
    elif info.isreg():
        source = opened.extractfile(info)
        if source is not None:
            executable = bool(info.mode & 0o111)
            made.append(tree.write(parts, source, executable=executable, mtime_seconds=int(info.mtime)))
    elif info.issym():
        tree.remember_link(parts, info.linkname)
    elif info.islnk():
        tree.second_name(parts, _parts(info.linkname, archive))
    else:
        raise ArchiveBroken(f"the member {info.name!r} is a device or a pipe", where=archive)


def _parts(name: str, archive: str) -> tuple[str, ...]:
    # `tar -C folder .` writes "." and "./name".
    if name in (".", "./"):
        return ()
    return member_parts(name.removeprefix("./"), archive)


def _check_end(watched: _Watched, end: int, archive: str) -> None:
    """See that nothing but the end marker follows, and read the rest, so that the last checksum is compared too."""
    while watched.read(1 << 16):
        pass
    if watched.position < end + END_BYTES or watched.last_content > end:
        raise ArchiveBroken(
            "the archive is damaged: it breaks off, or something follows that is no member",
            where=archive,
            next_step="fetch it again",
        )
