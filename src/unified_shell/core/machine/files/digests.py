"""Digests of bytes and files (SHA-256)."""

import re
from typing import NewType

__all__ = ["NO_SHA256", "Sha256", "digest_of_bytes", "digest_of_file", "parse_sha256"]

# A SHA-256 as 64 hexadecimal digits in small letters; it may become part of a path.
Sha256 = NewType("Sha256", str)
# Stands for a hash that nobody told.
NO_SHA256 = Sha256("")

CHUNK_BYTES = 1 << 20
DIGITS = re.compile(r"[0-9a-f]{64}")


def parse_sha256(text: str) -> Sha256 | None:
    """Return a hash that was told by somebody, or None for what is not 64 hexadecimal digits."""
    lowered = text.lower()
    return Sha256(lowered) if DIGITS.fullmatch(lowered) else None


def digest_of_bytes(content: bytes) -> Sha256:
    """Return the SHA-256 of bytes in hexadecimal."""
    # Its library loads a whole cryptographic one; most looks ask for no digest.
    import hashlib

    return Sha256(hashlib.sha256(content).hexdigest())


def digest_of_file(path: str) -> Sha256:
    """Return the SHA-256 of a file's content in hexadecimal."""
    import hashlib

    state = hashlib.sha256()
    with open(path, "rb") as file:
        while chunk := file.read(CHUNK_BYTES):
            state.update(chunk)
    return Sha256(state.hexdigest())
