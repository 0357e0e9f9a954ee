"""Zip archives: checked as a whole before anything is made, then unpacked into a new folder."""

import errno
import lzma
import os
import stat
import struct
import zipfile
import zlib

from unified_shell.core.errors import ArchiveBroken

from .members import Limits, member_parts
from .tree import Tree, Unpacked

__all__ = ["DAMAGED", "names_in_zip", "unpack_zip"]

DEFAULT_LIMITS = Limits()
# PATH_MAX of Linux: no link leads further.
LINK_LIMIT_BYTES = 4096
# What the library raises for zips that are damaged, each found by altering good ones.
DAMAGED = (
    *(zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError, RuntimeError, ValueError),
    *(struct.error, OverflowError, LookupError, MemoryError),
)
Member = tuple[zipfile.ZipInfo, tuple[str, ...]]


def unpack_zip(
    archive: str, folder: str, *, limits: Limits = DEFAULT_LIMITS, links: bool = False
) -> tuple[Unpacked, ...]:
    """Unpack into `folder`, which must not exist, and return the files that were made.

    Only folders and regular files are made, with modes 0755 and 0644 (0755 for executables); with `links`
    also relative links that stay inside. Raises ArchiveBroken for a damaged archive, a name that leads
    outside, two members of one name, devices, and where more comes out than an honest archive of this size
    holds. What was made before the fault was found stays in `folder`, which is the caller's to sweep.
    """
    try:
        with zipfile.ZipFile(archive) as opened:
            members = _checked(opened, archive, limits, links=links)
            with Tree(folder, archive, limits.allowed_bytes(os.path.getsize(archive))) as tree:
                return _unpack(opened, members, tree)
    except DAMAGED as error:
        raise _damaged(error, archive) from error
    except OSError as error:
        # An altered zip leads to places before its beginning; any other trouble is the disk's.
        if error.errno not in (errno.EINVAL, None):
            raise
        raise _damaged(error, archive) from error


def _damaged(error: Exception, archive: str) -> ArchiveBroken:
    return ArchiveBroken(f"the archive is damaged: {error}", where=archive, next_step="fetch it again")


def names_in_zip(archive: str, most: int) -> tuple[str, ...]:
    """Return the first names; raises ArchiveBroken where the archive cannot be read."""
    try:
        with zipfile.ZipFile(archive) as opened:
            return tuple(opened.namelist()[:most])
    except (*DAMAGED, OSError) as error:
        raise _damaged(error, archive) from error


def _checked(opened: zipfile.ZipFile, archive: str, limits: Limits, *, links: bool) -> list[Member]:
    infos = opened.infolist()
    if len(infos) > limits.members:
        raise ArchiveBroken(f"the archive has {len(infos)} members", where=archive)
    found, seen = [], set()
    for info in infos:
        # What zipfile gives as `filename` is cut at a NUL; the name in the archive is the other one.
        parts = member_parts(info.orig_filename, archive)
        if parts in seen:
            raise ArchiveBroken(f"the member {info.filename!r} occurs twice", where=archive)
        seen.add(parts)
        kind = stat.S_IFMT(info.external_attr >> 16)
        if kind not in (0, stat.S_IFREG, stat.S_IFDIR) and not (links and kind == stat.S_IFLNK):
            raise ArchiveBroken(f"the member {info.filename!r} is not a regular file", where=archive)
        found.append((info, parts))
    return found


def _unpack(opened: zipfile.ZipFile, members: list[Member], tree: Tree) -> tuple[Unpacked, ...]:
    made = []
    for info, parts in members:
        mode = info.external_attr >> 16
        if info.is_dir():
            tree.folder(parts)
            continue
        with opened.open(info) as source:
            if stat.S_IFMT(mode) == stat.S_IFLNK:
                tree.remember_link(parts, os.fsdecode(source.read(LINK_LIMIT_BYTES)))
                continue
            executable = info.create_system == 3 and bool(mode & 0o111)
            made.append(tree.write(parts, source, executable=executable, mtime_seconds=None))
    tree.make_links()
    return tuple(made)
