"""Giving stored files to environments: by reflink where the file system can, else by hard link, else by copy.

A reflink or copy is a file of its own; a hard link is the stored file under a second name, so that a change of one is a
change of both, which the store notices by size and time.
"""

import errno
import os
import shutil
import stat
from collections.abc import Iterable

from unified_shell.core.machine.files.cloning import clone_file

__all__ = ["Sharer"]

# What says that a way is not to be had between two places, whatever the file.
NOT_HERE = frozenset({errno.EXDEV, errno.EPERM, errno.EOPNOTSUPP, errno.ENOTTY, errno.EINVAL, errno.ENOSYS})


class Sharer:
    """Shares files of one store into one tree; what cannot be done between the two is tried once only.

    With `own_files`, nothing is hard linked, and its owner may write each file; what is shared stays read-only.
    """

    def __init__(self, *, own_files: bool = False) -> None:
        self._clones, self._links, self._own = True, not own_files, own_files

    def share_all(self, source: str, target: str, names: Iterable[str]) -> None:
        """Share files of one folder into another one; raises FileExistsError for one that is there."""
        link = os.link
        for name in names:
            if self._links and not self._clones:
                try:
                    link(f"{source}/{name}", f"{target}/{name}")
                    continue
                except OSError as error:
                    if isinstance(error, FileExistsError | FileNotFoundError):
                        raise
            self.share(f"{source}/{name}", f"{target}/{name}")

    def share(self, source: str, target: str) -> None:
        """Share one file."""
        self._share(source, target)
        if self._own:
            os.chmod(target, os.stat(target).st_mode | stat.S_IWUSR)

    def _share(self, source: str, target: str) -> None:
        if self._clones:
            try:
                clone_file(source, target)
                return
            except OSError as error:
                if error.errno not in NOT_HERE:
                    raise
                self._clones = False
        if self._links:
            try:
                os.link(source, target)
                return
            except OSError as error:
                if isinstance(error, FileExistsError | FileNotFoundError):
                    raise
                # A file can have too many names; then this one is copied, and the next is tried again.
                if error.errno in NOT_HERE:
                    self._links = False
        if os.path.lexists(target):
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), target)
        shutil.copy2(source, target, follow_symlinks=False)
