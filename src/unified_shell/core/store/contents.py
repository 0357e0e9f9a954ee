"""The store: unpacked content by the hash of the archive it came from, made once and then shared.

`store/wheels/SHA256/files/…` is the content, `manifest.json` beside it names each file with size, time and hash. Parts
made from it, such as an interpreter's byte code, are folders beside, each with a manifest of its own. Before anything is
shared, size and time of each file are compared; content that was modified is made anew.
"""

import os
from collections.abc import Callable, Sequence

import msgspec
from msgspec import Struct

from unified_shell.core.machine.files.digests import Sha256
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.places import Place, from_json_text, join, to_json_text

__all__ = ["Content", "Part", "Store", "StoredFile", "damaged_files", "stored_file"]

FORMAT = 2
ANY_WRITE = 0o222


class StoredFile(Struct, frozen=True, kw_only=True):
    """One file of the content: its name relative to it, size, time (ns since 1970), SHA-256, mode.

    Of a part's file no hash is kept: it can be made again.
    """

    name: str
    size_bytes: int
    mtime_ns: int
    sha256: str = ""
    executable: bool = False


class Content(Struct, frozen=True, kw_only=True):
    """The unpacked content of one archive."""

    sha256: Sha256
    top: Place
    files: tuple[StoredFile, ...]

    @property
    def folder(self) -> Place:
        """Where its files are."""
        return join(self.top, "files")

    def place(self, name: str) -> Place:
        """Return where a file of the content is."""
        return join(self.top, "files", name)


class Part(Struct, frozen=True, kw_only=True):
    """Files that were made from a content, in a folder beside it."""

    folder: Place
    files: tuple[StoredFile, ...] = ()


class Store:
    """The store of one scope."""

    def __init__(self, data: str) -> None:
        self.top = join(data, "store", "wheels")

    def find(self, sha256: Sha256) -> Content | None:
        """Return the content of an archive, or None where it is not there or was modified."""
        content = self.read(sha256)
        return content if content is not None and not damaged_files(content.folder, content.files) else None

    def read(self, sha256: Sha256) -> Content | None:
        """Return the content of an archive as it was stored, whole or not; None where it is not there."""
        top = join(self.top, sha256)
        files = _read(join(top, "manifest.json"))
        return Content(sha256=sha256, top=top, files=files) if files is not None else None

    def add(self, sha256: Sha256, staging: str, unpack: Callable[[str], tuple[StoredFile, ...]]) -> Content:
        """Return the content, made by `unpack` in a folder of staging where it is not there yet.

        Two that make the same at once both succeed: the second finds the first one's. What was damaged is put aside.
        """
        if (found := self.find(sha256)) is not None:
            return found
        making = join(staging, f"content-{sha256}")
        os.makedirs(making)
        files = unpack(join(making, "files"))
        _make_read_only(join(making, "files"), files)
        _write(join(making, "manifest.json"), files)
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

    def part(self, content: Content, name: str) -> Part | None:
        """Return a part of a content, or None where it was not made or was modified."""
        folder = join(content.top, name)
        files = _read(join(content.top, f"{name}.json"))
        if files is None or damaged_files(folder, files):
            return None
        return Part(folder=folder, files=files)

    def keep_part(self, content: Content, name: str, making: str, staging: str) -> Part:
        """Take in a part that was made in a folder of staging; an older one, which was damaged, is put aside."""
        folder = join(content.top, name)
        files = tuple(
            stored_file(making, os.path.relpath(join(above, one), making))
            for above, _, names in os.walk(making)
            for one in names
        )
        _make_read_only(making, files)
        if os.path.isdir(folder):
            os.rename(folder, join(staging, f"damaged-{name}-{content.sha256}"))
        _write(f"{making}.json", files)
        os.rename(making, folder)
        os.replace(f"{making}.json", join(content.top, f"{name}.json"))
        return Part(folder=folder, files=files)


def _make_read_only(folder: str, files: Sequence[StoredFile]) -> None:
    """Let nobody write what many share: an editor that would write in place is refused, and takes a file of its own."""
    for file in files:
        path = f"{folder}/{file.name}"
        os.chmod(path, os.stat(path).st_mode & ~ANY_WRITE & 0o777)


def stored_file(folder: str, name: str, sha256: str = "") -> StoredFile:
    """Return a file's row for a manifest."""
    facts = os.lstat(join(folder, name))
    return StoredFile(
        name=name,
        size_bytes=facts.st_size,
        mtime_ns=facts.st_mtime_ns,
        sha256=sha256,
        executable=bool(facts.st_mode & 0o100),
    )


def damaged_files(folder: str, files: Sequence[StoredFile]) -> tuple[str, ...]:
    """Return those that are not there or whose size or time is another one than was stored."""
    found = []
    lstat = os.lstat
    for file in files:
        try:
            facts = lstat(f"{folder}/{file.name}")
        except OSError:
            found.append(file.name)
            continue
        if facts.st_size != file.size_bytes or facts.st_mtime_ns != file.mtime_ns:
            found.append(file.name)
    return tuple(found)


class _Manifest(Struct, frozen=True, kw_only=True):
    """What a manifest's file holds."""

    format: int
    files: tuple[StoredFile, ...]


def _read(manifest: str) -> tuple[StoredFile, ...] | None:
    try:
        with open(manifest, "rb") as file:
            content = file.read()
        try:
            read = msgspec.json.decode(content, type=_Manifest)
        except msgspec.DecodeError:
            # Names that are not UTF-8 are beyond the fast reader.
            read = msgspec.convert(from_json_text(content), _Manifest)
    except (OSError, ValueError, msgspec.MsgspecError):
        return None
    return read.files if read.format == FORMAT else None


def _write(manifest: str, files: Sequence[StoredFile]) -> None:
    text = to_json_text(msgspec.to_builtins(_Manifest(format=FORMAT, files=tuple(files))))
    with open(manifest, "w", encoding="ascii") as file:
        file.write(text)
