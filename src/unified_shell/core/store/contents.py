"""The store: unpacked content by the hash of the archive it came from, made once and then shared.

`store/wheels/SHA256/files/…` is the content, `manifest.json` beside it names each file with size, time and
hash. A file is shared by a hard link where the file system can, else by a copy that keeps its time. Content
that was written to since is told by size and time, and is made anew before it is shared again.
"""

import contextlib
import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass

from unified_shell.core.machine.durable import remove_tree
from unified_shell.core.machine.places import Place, from_json_text, join, to_json_text

__all__ = ["Content", "Store", "StoredFile", "share_file"]

FORMAT = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredFile:
    """One file of the content: its name relative to it, size, time (ns since 1970), SHA-256, mode."""

    name: str
    size_bytes: int
    mtime_ns: int
    sha256: str
    executable: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Content:
    """The unpacked content of one archive."""

    sha256: str
    top: Place
    files: tuple[StoredFile, ...]

    def place(self, name: str) -> Place:
        """Return where a file of the content is."""
        return join(self.top, "files", name)


class Store:
    """The store of one scope."""

    def __init__(self, data: str) -> None:
        self.top = join(data, "store", "wheels")

    def find(self, sha256: str) -> Content | None:
        """Return the content of an archive, or None where it is not there or was written to since."""
        top = join(self.top, sha256)
        content = _read(top, sha256)
        if content is not None and all(_is_intact(content, file) for file in content.files):
            return content
        return None

    def add(self, sha256: str, staging: str, unpack: Callable[[str], tuple[StoredFile, ...]]) -> Content:
        """Return the content, made by `unpack` in a folder of staging where it is not there yet.

        Two that make the same at once both succeed: the second finds the first one's.
        """
        if (found := self.find(sha256)) is not None:
            return found
        making = join(staging, f"content-{sha256}")
        os.makedirs(making)
        files = unpack(join(making, "files"))
        rows = [[one.name, one.size_bytes, one.mtime_ns, one.sha256, one.executable] for one in files]
        with open(join(making, "manifest.json"), "w", encoding="ascii") as file:
            file.write(to_json_text({"format": FORMAT, "files": rows}))
        top = join(self.top, sha256)
        if os.path.isdir(top):
            os.rename(top, join(staging, f"damaged-{sha256}"))
        os.makedirs(self.top, exist_ok=True)
        try:
            os.rename(making, top)
        except OSError:
            if not os.path.isdir(top):
                raise
            remove_tree(making)
        return Content(sha256=sha256, top=top, files=files)

    def add_part(self, content: Content, part: str, staging: str, make: Callable[[str], None]) -> Place:
        """Return a folder of things made from the content, such as byte code, made where it is missing."""
        place = join(content.top, part)
        if not os.path.isdir(place):
            making = join(staging, f"{part}-{content.sha256}")
            os.makedirs(making)
            make(making)
            with contextlib.suppress(OSError):
                os.rename(making, place)
        return place


def share_file(source: str, target: str) -> None:
    """Give a stored file a second name, or copy it where that cannot be."""
    try:
        os.link(source, target)
    except FileExistsError:
        raise
    except OSError:
        shutil.copy2(source, target)


def _read(top: str, sha256: str) -> Content | None:
    try:
        with open(join(top, "manifest.json"), encoding="ascii") as file:
            read = from_json_text(file.read())
    except (OSError, ValueError):
        return None
    if not isinstance(read, dict) or read.get("format") != FORMAT:
        return None
    files = tuple(
        StoredFile(name=name, size_bytes=size, mtime_ns=mtime, sha256=digest, executable=executable)
        for name, size, mtime, digest, executable in read["files"]
    )
    return Content(sha256=sha256, top=Place(top), files=files)


def _is_intact(content: Content, file: StoredFile) -> bool:
    try:
        facts = os.lstat(content.place(file.name))
    except OSError:
        return False
    return facts.st_size == file.size_bytes and facts.st_mtime_ns == file.mtime_ns
