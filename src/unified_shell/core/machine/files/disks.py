"""Free space, and what a file system allows."""

import os
import re

from msgspec import Struct

from unified_shell.core.machine.places import Place

__all__ = ["Disk", "TreeSize", "parse_size", "read_disk", "shown_size", "tree_size"]


class Disk(Struct, frozen=True, kw_only=True):
    """The file system that would hold a place: its sizes in bytes, and whether it can be written."""

    place: Place
    free_bytes: int
    total_bytes: int
    writable: bool


def read_disk(place: str) -> Disk:
    """Read the file system of a place, or of its nearest parent that exists."""
    there = place
    while not os.path.exists(there):
        above = os.path.dirname(there)
        if above == there:
            break
        there = above
    import shutil

    usage = shutil.disk_usage(there)
    # A file system mounted read-only refuses even root, which access() tells.
    return Disk(
        place=Place(place), free_bytes=usage.free, total_bytes=usage.total, writable=os.access(there, os.W_OK)
    )


class TreeSize(Struct, frozen=True, kw_only=True):
    """What a tree takes on disk, in bytes; `own_bytes` without files that have other names elsewhere (hard links)."""

    total_bytes: int
    own_bytes: int


def tree_size(top: str) -> TreeSize:
    """Measure a tree; a file that has several names is counted once for each that is in it."""
    total = own = 0
    for folder, folders, files in os.walk(top):
        links = [name for name in folders if os.path.islink(os.path.join(folder, name))]
        for path in (folder, *(os.path.join(folder, name) for name in (*links, *files))):
            facts = os.lstat(path)
            # Blocks are of 512 bytes, by POSIX; where they are not told, the size is all there is.
            size = facts.st_blocks * 512 if hasattr(facts, "st_blocks") else facts.st_size
            total += size
            own += size if facts.st_nlink < 2 or path == folder else 0
    return TreeSize(total_bytes=total, own_bytes=own)


def shown_size(size_bytes: float) -> str:
    """Return a size as a person reads it: `12.3 MB`, in powers of ten."""
    if size_bytes < 1000:
        return f"{size_bytes:.0f} bytes"
    for unit in ("kB", "MB", "GB"):
        size_bytes /= 1000
        if size_bytes < 1000:
            return f"{size_bytes:.1f} {unit}"
    return f"{size_bytes / 1000:.1f} TB"


def parse_size(text: str) -> int:
    """Return the bytes that a size such as `300 MB` means, in powers of ten; 0 for what is none."""
    found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*(kB|MB|GB|TB|bytes)\s*", text)
    if found is None:
        return 0
    powers = {"bytes": 0, "kB": 1, "MB": 2, "GB": 3, "TB": 4}
    return int(float(found[1]) * 1000 ** powers[found[2]])
