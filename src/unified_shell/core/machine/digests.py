"""Digests of bytes, files and whole trees (SHA-256)."""

import hashlib
import os
import stat

__all__ = ["digest_of_bytes", "digest_of_file", "digest_of_tree"]

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


def digest_of_tree(top: str) -> str:
    """Return one digest over names, kinds, permission bits, link targets and contents below `top`."""
    state = hashlib.sha256()
    for folder, folders, files in os.walk(top):
        folders.sort()
        for name in sorted(folders + files):
            path = os.path.join(folder, name)
            facts = os.lstat(path)
            state.update(os.fsencode(os.path.relpath(path, top)) + b"\0%o\0" % facts.st_mode)
            if stat.S_ISLNK(facts.st_mode):
                state.update(os.fsencode(os.readlink(path)))
            elif stat.S_ISREG(facts.st_mode):
                state.update(digest_of_file(path).encode())
    return state.hexdigest()
