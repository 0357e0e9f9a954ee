"""Tar archives, read as a stream: plain, gzip, xz, bzip2, Zstandard.

The headers are read by the standard library; nothing is unpacked by it, since its filters were escaped.
Source of the format: POSIX.1-2001 pax, and the two zero blocks that end an archive.
"""

import itertools
import os
import tarfile
from typing import IO, cast

from unified_shell.core.errors import ArchiveBroken

from .compression import ArchiveKind, plain_stream
from .members import Limits, member_parts
from .tree import Tree, Unpacked

__all__ = ["names_in_tar", "unpack_tar"]

DEFAULT_LIMITS = Limits()
# Source archives of mostly equal lines come to 25; the limits' ratio is for zip, whose members stand alone.
STRONG = {ArchiveKind.XZ: 4, ArchiveKind.BZIP2: 4, ArchiveKind.ZSTANDARD: 4}
END_BYTES = 1024


class _Watched:
    """A stream that knows how far it was read, and where its last byte is that is not zero."""

    def __init__(self, stream: IO[bytes]) -> None:
        self._stream = stream
        self.position = 0
        self.last_content = 0

    def read(self, size: int = -1) -> bytes:
        """Return up to `size` bytes."""
        chunk = self._stream.read(size)
        if content := len(chunk.rstrip(b"\0")):
            self.last_content = self.position + content
        self.position += len(chunk)
        return chunk


def unpack_tar(
    archive: str, folder: str, kind: ArchiveKind, *, limits: Limits = DEFAULT_LIMITS
) -> tuple[Unpacked, ...]:
    """Unpack into `folder`, which must not exist, and return the files that were made.

    Folders, regular files (0755 for executables, else 0644), second names of files of the archive, and
    relative links that stay inside; times are kept, owners are not. Raises ArchiveBroken as `unpack_zip` does,
    and for an archive that ends before its end marker.
    """
    allowed = limits.allowed_bytes(os.path.getsize(archive)) * STRONG.get(kind, 1)
    made: list[Unpacked] = []
    try:
        with plain_stream(archive, kind) as stream, Tree(folder, archive, allowed) as tree:
            watched = _Watched(stream)
            with tarfile.open(fileobj=cast("IO[bytes]", watched), mode="r|", errorlevel=2) as opened:
                for number, info in enumerate(opened):
                    if number >= limits.members:
                        raise ArchiveBroken(f"the archive has more than {limits.members} members", where=archive)
                    _take(opened, info, tree, archive, made)
                end = opened.offset
            _check_end(watched, end, archive)
            tree.make_links()
    except (tarfile.TarError, ValueError, OverflowError) as error:
        raise ArchiveBroken(f"the archive is damaged: {error}", where=archive, next_step="fetch it again") from error
    return tuple(made)


def names_in_tar(archive: str, kind: ArchiveKind, most: int) -> tuple[str, ...]:
    """Return the first names; raises ArchiveBroken where the archive cannot be read."""
    try:
        with plain_stream(archive, kind) as stream, tarfile.open(fileobj=stream, mode="r|") as opened:
            return tuple(info.name for info in itertools.islice(opened, most))
    except (tarfile.TarError, ValueError) as error:
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
