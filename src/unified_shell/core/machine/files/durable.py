"""Files that are whole or not there: written beside, synced, renamed."""

import contextlib
import errno
import os
import stat

from msgspec import Struct

from .open_flags import EXCLUSIVE

__all__ = ["FileMode", "drop_file", "exchange_file", "read_file", "remove_tree", "replace_file", "sync_directory"]


class FileMode(Struct, frozen=True, kw_only=True):
    """Permission bits and owner of a file; -1 where it does not matter."""

    bits: int = 0o644
    user: int = -1
    group: int = -1


def read_file(path: str) -> tuple[bytes, FileMode] | None:
    """Return a file's bytes and mode, or None where there is none.

    Raises OSError for a file that is there and cannot be read, and for what is none: a pipe would never end.
    """
    try:
        # Opening a pipe waits for whoever writes into it, unless told not to.
        descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
        with open(descriptor, "rb") as file:
            facts = os.fstat(descriptor)
            if stat.S_ISDIR(facts.st_mode):
                raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), path)
            if not stat.S_ISREG(facts.st_mode):
                raise OSError(errno.EINVAL, "it is a pipe or device, not a file", path)
            mode = FileMode(bits=stat.S_IMODE(facts.st_mode), user=facts.st_uid, group=facts.st_gid)
            return file.read(), mode
    except FileNotFoundError:
        return None


def replace_file(path: str, content: bytes, mode: FileMode, *, beside: str) -> None:
    """Give `path` this content at once; `beside` is the name used meanwhile in the same directory.

    A link is followed: what it leads to gets the content. A file that is a mount point of its own cannot be renamed
    over (EBUSY) and is written in place.
    """
    if os.path.islink(path):
        path = os.path.realpath(path)
        beside = os.path.join(os.path.dirname(path), os.path.basename(beside))
    os.makedirs(os.path.dirname(path), exist_ok=True)
    try:
        _write_new(beside, content, mode)
        os.replace(beside, path)
    except OSError as error:
        with contextlib.suppress(OSError):
            os.unlink(beside)
        if error.errno != errno.EBUSY:
            raise
        _write_in_place(path, content)
    sync_directory(os.path.dirname(path))


def exchange_file(path: str, content: bytes) -> None:
    """Give a file other content, whole and with its mode; what its other names, or running programs, hold stays as it is.

    It need not be writable itself. It is not synced: it is for trees that are made before they are seen.
    """
    beside = f"{path}.ush-new"
    bits = stat.S_IMODE(os.stat(path).st_mode)
    with open(beside, "wb") as file:
        file.write(content)
    os.chmod(beside, bits)
    os.replace(beside, path)


def drop_file(path: str) -> None:
    """Remove a file; one that a link leads to is left empty, since somebody keeps it elsewhere."""
    if os.path.islink(path) and os.path.exists(path):
        real = os.path.realpath(path)
        found = read_file(real)
        replace_file(real, b"", FileMode() if found is None else found[1], beside=f"{real}.ush-new")
        return
    with contextlib.suppress(FileNotFoundError):
        os.unlink(path)
        sync_directory(os.path.dirname(path))


def sync_directory(path: str) -> None:
    """Make the names in a directory durable; a system that opens no directories keeps them by itself."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    descriptor = os.open(path, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def remove_tree(path: str) -> None:
    """Remove a tree or file, read-only directories too; nothing there is fine."""
    if os.path.islink(path) or not os.path.isdir(path):
        with contextlib.suppress(FileNotFoundError):
            os.unlink(path)
        return
    for folder, _, _ in os.walk(path):
        with contextlib.suppress(OSError):
            if os.stat(folder).st_mode & 0o700 != 0o700:
                os.chmod(folder, 0o700)
    import shutil

    shutil.rmtree(path)


def _write_new(path: str, content: bytes, mode: FileMode) -> None:
    with contextlib.suppress(FileNotFoundError):
        os.unlink(path)
    descriptor = os.open(path, EXCLUSIVE, 0o600)
    with open(descriptor, "wb") as file:
        file.write(content)
        file.flush()
        if mode.user >= 0 and hasattr(os, "fchown"):
            with contextlib.suppress(PermissionError):
                os.fchown(descriptor, mode.user, mode.group)
        if hasattr(os, "fchmod"):
            os.fchmod(descriptor, mode.bits)
        else:
            os.chmod(path, mode.bits)
        os.fsync(descriptor)


def _write_in_place(path: str, content: bytes) -> None:
    with open(path, "r+b") as file:
        file.write(content)
        file.truncate()
        file.flush()
        os.fsync(file.fileno())
