"""Which modes new files get."""

import contextlib
import os
from collections.abc import Iterator

__all__ = ["public_files"]

READ_BY_ALL = 0o022


@contextlib.contextmanager
def public_files(*, wanted: bool) -> Iterator[None]:
    """Let all read what is made meanwhile, and none but its owner write it, whatever the session's own mask is.

    Where that is not wanted, nothing is different: what is a person's own follows their mask.
    """
    if not wanted:
        yield
        return
    before = os.umask(READ_BY_ALL)
    try:
        yield
    finally:
        os.umask(before)
