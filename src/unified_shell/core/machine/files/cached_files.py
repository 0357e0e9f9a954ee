"""Files of the cache: whole or not there, but not synced, since what is lost can be made again."""

import contextlib
import os
import threading

from .open_flags import EXCLUSIVE

__all__ = ["write_cached"]


def write_cached(place: str, content: bytes) -> None:
    """Write a file for this user's eyes only; a cache that cannot be written is done without."""
    beside = f"{place}.{os.getpid()}-{threading.get_ident()}"
    with contextlib.suppress(OSError):
        os.makedirs(os.path.dirname(place), exist_ok=True)
        try:
            handle = os.open(beside, EXCLUSIVE, 0o600)
            with open(handle, "wb") as file:
                file.write(content)
            os.replace(beside, place)
        finally:
            with contextlib.suppress(OSError):
                os.unlink(beside)
