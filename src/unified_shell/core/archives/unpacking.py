"""Unpacking a zip archive into a new folder: every file made exclusively, below handles of its folders."""

import contextlib
import hashlib
import os
import stat
import zipfile
import zlib
from dataclasses import dataclass
from typing import IO

from unified_shell.core.errors import ArchiveBroken

from .members import Limits, member_parts

__all__ = ["Unpacked", "unpack_zip"]

CHUNK_BYTES = 1 << 18
DEFAULT_LIMITS = Limits()


@dataclass(frozen=True, slots=True, kw_only=True)
class Unpacked:
    """One file that was unpacked: its name in the archive, size, SHA-256 (hexadecimal), executable or not."""

    name: str
    size_bytes: int
    sha256: str
    executable: bool


def unpack_zip(archive: str, folder: str, *, limits: Limits = DEFAULT_LIMITS) -> tuple[Unpacked, ...]:
    """Unpack into `folder`, which must not exist, and return what was made.

    Only folders and regular files are made, with modes 0755 and 0644 (0755 for executables). Raises
    ArchiveBroken for a damaged archive, a name that leads outside, two members of one name, links and
    devices, and where more comes out than an honest archive of this size holds. What was made before the
    fault was found stays in `folder`, which is the caller's to sweep.
    """
    try:
        with zipfile.ZipFile(archive) as opened:
            members = _checked(opened, archive, limits)
            allowed = limits.allowed_bytes(os.path.getsize(archive))
            os.mkdir(folder, 0o755)
            tree = _Tree(folder)
            try:
                return _unpack(opened, members, tree, allowed)
            finally:
                tree.close()
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError) as error:
        raise ArchiveBroken(f"the archive is damaged: {error}", where=archive, next_step="fetch it again") from error


def _checked(opened: zipfile.ZipFile, archive: str, limits: Limits) -> list[tuple[zipfile.ZipInfo, tuple[str, ...]]]:
    infos = opened.infolist()
    if len(infos) > limits.members:
        raise ArchiveBroken(f"the archive has {len(infos)} members", where=archive)
    found, seen = [], set()
    for info in infos:
        # What zipfile gives as `filename` is cut at a NUL; the name in the archive is the other one.
        parts = member_parts(info.orig_filename, archive)
        if parts in seen:
            raise ArchiveBroken(f"the member {info.filename!r} is there twice", where=archive)
        seen.add(parts)
        kind = stat.S_IFMT(info.external_attr >> 16)
        if kind not in (0, stat.S_IFREG, stat.S_IFDIR):
            raise ArchiveBroken(f"the member {info.filename!r} is no regular file", where=archive)
        found.append((info, parts))
    return found


def _unpack(
    opened: zipfile.ZipFile, members: list[tuple[zipfile.ZipInfo, tuple[str, ...]]], tree: "_Tree", allowed: int
) -> tuple[Unpacked, ...]:
    made = []
    for info, parts in members:
        if info.is_dir():
            tree.folder(parts)
            continue
        mode = info.external_attr >> 16
        executable = info.create_system == 3 and bool(mode & 0o111)
        with opened.open(info) as source:
            size, digest = tree.write(parts, source, executable=executable, allowed=allowed)
        allowed -= size
        made.append(Unpacked(name=info.filename, size_bytes=size, sha256=digest, executable=executable))
    return tuple(made)


class _Tree:
    """Folder handles below a new folder; a name is never looked up through a link."""

    MAX_OPEN = 200

    def __init__(self, top: str) -> None:
        self._flags = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
        self._open: dict[tuple[str, ...], int] = {(): os.open(top, self._flags)}

    def folder(self, parts: tuple[str, ...]) -> int:
        """Return a handle of a folder below the top, made where it is missing."""
        if parts in self._open:
            return self._open[parts]
        if len(self._open) >= self.MAX_OPEN:
            self._close_all_but_top()
        above = self.folder(parts[:-1])
        with contextlib.suppress(FileExistsError):
            os.mkdir(parts[-1], 0o755, dir_fd=above)
        try:
            handle = os.open(parts[-1], self._flags, dir_fd=above)
        except OSError as error:
            raise ArchiveBroken(f"the member {'/'.join(parts)!r} is a file and a folder") from error
        self._open[parts] = handle
        return handle

    def write(self, parts: tuple[str, ...], source: IO[bytes], *, executable: bool, allowed: int) -> tuple[int, str]:
        """Make a file and return its size and digest."""
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        try:
            handle = os.open(parts[-1], flags, 0o755 if executable else 0o644, dir_fd=self.folder(parts[:-1]))
        except FileExistsError as error:
            raise ArchiveBroken(f"the member {'/'.join(parts)!r} is a file and a folder") from error
        state, size = hashlib.sha256(), 0
        with open(handle, "wb") as file:
            while chunk := source.read(CHUNK_BYTES):
                size += len(chunk)
                if size > allowed:
                    raise ArchiveBroken(
                        "the archive unpacks to far more than its size allows; it may be made to fill the disk"
                    )
                state.update(chunk)
                file.write(chunk)
        return size, state.hexdigest()

    def close(self) -> None:
        """Close all handles."""
        for handle in self._open.values():
            os.close(handle)
        self._open.clear()

    def _close_all_but_top(self) -> None:
        for parts, handle in list(self._open.items()):
            if parts:
                os.close(handle)
                del self._open[parts]
