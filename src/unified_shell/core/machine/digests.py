"""Digests of bytes and files (SHA-256)."""

import hashlib

__all__ = ["digest_of_bytes", "digest_of_file"]

CHUNK_BYTES = 1 << 20


def digest_of_bytes(content: bytes) -> str:
    """Return the SHA-256 of bytes in hexadecimal."""
    return hashlib.sha256(content).hexdigest()


def digest_of_file(path: str) -> str:
    """Return the SHA-256 of a file's content in hexadecimal."""
    state = hashlib.sha256()
    with open(path, "rb") as file:
        while chunk := file.read(CHUNK_BYTES):
            state.update(chunk)
    return state.hexdigest()
