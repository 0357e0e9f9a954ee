"""Unpacking any archive that interpreters and suites come in, recognised by its contents."""

import os

from unified_shell.core.errors import ArchiveBroken, CouldNot, os_error_text

from .compression import ArchiveKind, kind_of_archive, unpacked_guess
from .tar_archives import names_in_tar, unpack_tar
from .tree import Unpacked
from .zip_archives import names_in_zip, unpack_zip

__all__ = ["Unpacked", "expected_bytes", "names_in_archive", "root_of", "unpack_archive"]

# Enough to see what a tree is, without reading a huge archive to its end.
FIRST_NAMES = 20_000


def unpack_archive(archive: str, folder: str) -> tuple[Unpacked, ...]:
    """Unpack into `folder`, which must not exist; raises ArchiveBroken, and CouldNot where it cannot be read."""
    kind = _kind(archive)
    if kind is ArchiveKind.ZIP:
        return unpack_zip(archive, folder, links=True)
    return unpack_tar(archive, folder, kind)


def names_in_archive(archive: str, most: int = FIRST_NAMES) -> tuple[str, ...]:
    """Return the names of the first members, as they stand in the archive."""
    kind = _kind(archive)
    return names_in_zip(archive, most) if kind is ArchiveKind.ZIP else names_in_tar(archive, kind, most)


def expected_bytes(archive: str) -> int:
    """Guess how many bytes an archive unpacks to."""
    return unpacked_guess(archive, _kind(archive))


def root_of(folder: str) -> str:
    """Return the one folder that holds all that was unpacked, or the folder itself."""
    names = os.listdir(folder)
    below = os.path.join(folder, names[0]) if len(names) == 1 else ""
    return below if below and os.path.isdir(below) and not os.path.islink(below) else folder


def _kind(archive: str) -> ArchiveKind:
    try:
        kind = kind_of_archive(archive)
    except OSError as error:
        raise CouldNot(f"the archive cannot be read: {os_error_text(error)}", next_step="check its name") from error
    if kind is ArchiveKind.NONE:
        size = os.path.getsize(archive)
        what = "is not an archive: neither zip nor tar, plain or compressed with gzip, xz, bzip2 or Zstandard"
        raise ArchiveBroken(
            f"it {what}" if size else "it is an empty file", where=archive, next_step="fetch it again"
        )
    return kind
