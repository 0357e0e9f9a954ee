"""Versions, read once each: thousands of files and projects share a few hundred of them."""

import functools

from packaging.version import Version

__all__ = ["read_version"]


@functools.lru_cache(maxsize=50_000)
def read_version(text: str) -> Version:
    """Return a version; raises InvalidVersion. Source: PEP 440."""
    return Version(text)
