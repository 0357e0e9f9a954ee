"""Folders that are filled without looking their names up again, so that no link put there meanwhile leads elsewhere.

Where the system opens files relative to a folder's descriptor (POSIX), that is how it is done. Elsewhere each name is joined
to the folder's path, and a link in its place is refused when it is seen.
"""

import contextlib
import errno
import os

from .open_flags import EXCLUSIVE, NO_FOLLOW

__all__ = ["FolderHandle"]

RELATIVE = os.open in os.supports_dir_fd and hasattr(os, "O_DIRECTORY")
FOLDER_FLAGS = os.O_RDONLY | getattr(os, "O_DIRECTORY", 0) | NO_FOLLOW | getattr(os, "O_CLOEXEC", 0)


class FolderHandle:
    """One folder; `close` it when no more is put into it."""

    def __init__(self, path: str, above: "FolderHandle | None" = None) -> None:
        """Open a folder by its path, or by its name below another one; raises OSError where a link or file is there."""
        self._path: str = path if above is None else os.path.join(above._path, path)
        self._descriptor = -1
        if RELATIVE:
            self._descriptor = os.open(path, FOLDER_FLAGS, dir_fd=None if above is None else above._descriptor)
        elif os.path.islink(self._path) or not os.path.isdir(self._path):
            raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR), self._path)

    def folder(self, name: str, mode_bits: int) -> "FolderHandle":
        """Return a folder below, made where it is missing."""
        with contextlib.suppress(FileExistsError):
            if RELATIVE:
                os.mkdir(name, mode_bits, dir_fd=self._descriptor)
            else:
                os.mkdir(os.path.join(self._path, name), mode_bits)
        return FolderHandle(name, self)

    def create(self, name: str, mode_bits: int) -> int:
        """Make a new file and return its descriptor; raises FileExistsError."""
        if RELATIVE:
            return os.open(name, EXCLUSIVE, mode_bits, dir_fd=self._descriptor)
        path = os.path.join(self._path, name)
        if os.path.isdir(path):
            # Windows calls a folder in the way a lack of permission.
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), path)
        return os.open(path, EXCLUSIVE, mode_bits)

    def link(self, name: str, source: "FolderHandle", source_name: str) -> None:
        """Give a file of another folder a second name here."""
        if RELATIVE:
            folders = {"src_dir_fd": source._descriptor, "dst_dir_fd": self._descriptor}
            os.link(source_name, name, **folders, follow_symlinks=False)
        else:
            os.link(os.path.join(source._path, source_name), os.path.join(self._path, name))

    def symlink(self, name: str, target: str) -> None:
        """Make a symbolic link."""
        if RELATIVE:
            os.symlink(target, name, dir_fd=self._descriptor)
        else:
            os.symlink(target, os.path.join(self._path, name))

    def close(self) -> None:
        """Let go of it."""
        if self._descriptor >= 0:
            os.close(self._descriptor)
            self._descriptor = -1
