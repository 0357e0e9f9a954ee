"""Source distributions: what a file name says, and what is told inside without building.

Source: the Source distribution format (PEP 517, 625) and Core metadata 2.2 (PEP 643: which fields hold for every build).
"""

import os

from msgspec import Struct
from packaging.version import InvalidVersion, Version

from unified_shell.core.errors import UshError

from .headers import read_headers
from .metadata import Metadata, parse_metadata

__all__ = ["SourceParts", "is_source_name", "source_parts", "static_metadata"]

ENDINGS = (".tar.gz", ".zip")
TOLD_BY_BUILDING = frozenset({"requires-dist", "requires-python", "provides-extra"})
FIRST_STATIC = (2, 2)


class SourceParts(Struct, frozen=True, kw_only=True):
    """Project and version as they stand in the file's name."""

    project: str
    version: str


def is_source_name(file_name: str) -> bool:
    """Tell whether a file can be a source distribution, by its name."""
    return file_name.endswith(ENDINGS)


def source_parts(file_name: str) -> SourceParts | None:
    """Return the parts of a source distribution's file name, or None for another name."""
    if not is_source_name(file_name):
        return None
    stem = next(file_name.removesuffix(one) for one in ENDINGS if file_name.endswith(one))
    project, dash, version = stem.rpartition("-")
    if not dash or not project:
        return None
    try:
        Version(version)
    except InvalidVersion:
        return None
    return SourceParts(project=project, version=version)


def static_metadata(folder: str) -> Metadata | None:
    """Return the metadata of an unpacked source distribution where it says that every build has the same, else None."""
    try:
        with open(os.path.join(folder, "PKG-INFO"), "rb") as file:
            content = file.read()
        headers = read_headers(content)
        told = tuple(int(one) for one in (headers.first("Metadata-Version") or "0").split(".")[:2])
        changing = {one.lower() for one in headers.every("Dynamic")}
        if told < FIRST_STATIC or changing & TOLD_BY_BUILDING:
            return None
        return parse_metadata(content, os.path.basename(folder))
    except (OSError, ValueError, UshError):
        return None
