"""Reading a part of an open file without moving where others read or write, where the system can."""

import os

__all__ = ["read_at"]


def read_at(descriptor: int, size_bytes: int, start: int) -> bytes:
    """Return up to `size_bytes` bytes from `start`."""
    if hasattr(os, "pread"):
        return os.pread(descriptor, size_bytes, start)
    os.lseek(descriptor, start, os.SEEK_SET)
    return os.read(descriptor, size_bytes)
