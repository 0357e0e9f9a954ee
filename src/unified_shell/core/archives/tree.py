"""A new folder that is filled below handles of its folders: every file made exclusively, links last."""

import hashlib
import os
import posixpath
from typing import IO

from msgspec import Struct

from unified_shell.core.errors import ArchiveBroken
from unified_shell.core.machine.files.folder_handles import FolderHandle
from unified_shell.core.machine.files.tree_links import NO_LINKS

__all__ = ["Tree", "Unpacked"]

CHUNK_BYTES = 1 << 18
# Times that every file system can hold: from 1970 to 2106.
LATEST_SECONDS = 0xFFFFFFFF
Parts = tuple[str, ...]


class Unpacked(Struct, frozen=True, kw_only=True):
    """One file that was unpacked: its name in the archive, size, SHA-256 (hexadecimal), executable or not."""

    name: str
    size_bytes: int
    sha256: str
    executable: bool


class Tree:
    """Folder handles below a new folder; a name is never looked up through a link.

    Symbolic links are only remembered until `make_links`, so nothing can be written through one.
    """

    MAX_OPEN = 200

    def __init__(self, top: str, archive: str, allowed_bytes: int) -> None:
        os.mkdir(top, 0o755)
        self._open: dict[Parts, FolderHandle] = {(): FolderHandle(top)}
        self._archive = archive
        self._left = allowed_bytes
        self._links: dict[Parts, str] = {}
        self._files: set[Parts] = set()
        self._folders: set[Parts] = set()
        self._tops: set[str] = set()

    def __enter__(self) -> "Tree":
        return self

    def __exit__(self, *_: object) -> None:
        for handle in self._open.values():
            handle.close()
        self._open.clear()

    def folder(self, parts: Parts) -> FolderHandle:
        """Return a handle of a folder below the top, made where it is missing."""
        if parts in self._open:
            return self._open[parts]
        if len(self._open) >= self.MAX_OPEN:
            self._close_all_but_top()
        above = self.folder(parts[:-1])
        self._tops.add(parts[0])
        try:
            handle = above.folder(parts[-1], 0o755)
        except OSError as error:
            raise self._broken(f"the member {'/'.join(parts)!r} is a file and a folder") from error
        self._open[parts] = handle
        self._folders.add(parts)
        return handle

    def write(self, parts: Parts, source: IO[bytes], *, executable: bool, mtime_seconds: int | None) -> Unpacked:
        """Make a file; `mtime_seconds` None leaves it the time at which it is made."""
        try:
            handle = self.folder(parts[:-1]).create(parts[-1], 0o755 if executable else 0o644)
        except FileExistsError as error:
            raise self._collides(parts) from error
        self._tops.add(parts[0])
        self._files.add(parts)
        state, size = hashlib.sha256(), 0
        with open(handle, "wb") as file:
            while chunk := source.read(CHUNK_BYTES):
                size += len(chunk)
                self._left -= len(chunk)
                if self._left < 0:
                    raise self._broken(
                        "the archive unpacks to far more than its size allows, as if made to fill the disk"
                    )
                state.update(chunk)
                file.write(chunk)
            file.flush()
            if mtime_seconds is not None:
                seconds = min(max(mtime_seconds, 0), LATEST_SECONDS)
                os.utime(handle, (seconds, seconds))
        return Unpacked(name="/".join(parts), size_bytes=size, sha256=state.hexdigest(), executable=executable)

    def second_name(self, parts: Parts, of: Parts) -> None:
        """Give a file that this archive made before a second name (a hard link)."""
        if of not in self._files:
            raise self._broken(
                f"the member {'/'.join(parts)!r} is a second name of a file that is not in the archive"
            )
        source, target = self.folder(of[:-1]), parts[:-1]
        self.folder(target)
        try:
            self.folder(target).link(parts[-1], source, of[-1])
        except FileExistsError as error:
            raise self._collides(parts) from error
        self._files.add(parts)

    def remember_link(self, parts: Parts, target: str) -> None:
        """Note a symbolic link, to be made when all files are there."""
        if parts in self._links or parts in self._files:
            raise self._collides(parts)
        self._tops.add(parts[0])
        self._links[parts] = target

    def make_links(self) -> None:
        """Make the symbolic links: relative ones that stay inside the archive's one root folder, or its top.

        Each folder of a link is a real one, and `..` is allowed at the beginning of a target only. So no
        chain of links leads further up than its own steps, and none of them leads outside. Where the system makes no
        links, a link to a file becomes a second name of it.
        """
        unmade: dict[Parts, str] = {}
        root_depth = 1 if len(self._tops) == 1 else 0
        for parts, target in self._links.items():
            steps = target.split("/")
            ups = next((n for n, step in enumerate(steps) if step != ".."), len(steps))
            if target.startswith("/") or not target or "\0" in target:
                raise self._broken(f"the link {'/'.join(parts)!r} leads to {target!r}, outside of the archive")
            if any(step == ".." for step in steps[ups:]) or ups > max(len(parts) - 1 - root_depth, 0):
                raise self._broken(f"the link {'/'.join(parts)!r} leads to {target!r}, outside of the archive")
            try:
                self.folder(parts[:-1]).symlink(parts[-1], target)
            except FileExistsError as error:
                raise self._collides(parts) from error
            except OSError as error:
                if error.errno not in NO_LINKS:
                    raise
                unmade[parts] = target
        self._name_instead(unmade)

    def _name_instead(self, unmade: dict[Parts, str]) -> None:
        """Give files second names in place of links that could not be made; a link may lead to another one."""
        while unmade:
            led = {
                parts: tuple(posixpath.normpath("/".join([*parts[:-1], to])).split("/"))
                for parts, to in unmade.items()
            }
            ready = [parts for parts, of in led.items() if of in self._files]
            if not ready:
                parts, target = next(iter(unmade.items()))
                raise self._broken(
                    f"the link {'/'.join(parts)!r} leads to {target!r}, which is no file of the archive,"
                    " and no symbolic links can be made here"
                )
            for parts in ready:
                self.second_name(parts, led[parts])
                del unmade[parts]

    def _broken(self, what: str) -> ArchiveBroken:
        return ArchiveBroken(what, where=self._archive)

    def _collides(self, parts: Parts) -> ArchiveBroken:
        twice = parts in self._files or (parts in self._links and parts not in self._folders)
        return self._broken(f"the member {'/'.join(parts)!r} {'occurs twice' if twice else 'is a file and a folder'}")

    def _close_all_but_top(self) -> None:
        for parts, handle in list(self._open.items()):
            if parts:
                handle.close()
                del self._open[parts]
