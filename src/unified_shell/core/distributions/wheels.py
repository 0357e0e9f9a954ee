"""Wheels: what is in one, checked against its own RECORD while it is unpacked.

Source: the Binary distribution format (PEP 427, 491) and its file name convention.
"""

import base64
import hashlib
import os
import re
import zipfile
from collections.abc import Mapping, Sequence
from typing import IO

from msgspec import Struct
from packaging.tags import Tag
from packaging.utils import InvalidWheelFilename, parse_wheel_filename
from packaging.version import Version

from unified_shell.core.archives.tree import Unpacked
from unified_shell.core.archives.zip_archives import DAMAGED, unpack_zip
from unified_shell.core.errors import ArchiveBroken, WheelBroken
from unified_shell.core.store.contents import Content, StoredFile

from .metadata import Metadata, parse_metadata
from .names import NormalizedName, canonicalize_name
from .record import hash_text, parse_record

__all__ = [
    "METADATA_LIMIT_BYTES",
    "WheelName",
    "WheelParts",
    "find_info_folder",
    "metadata_of_open_wheel",
    "parse_wheel_name",
    "read_metadata_of_wheel",
    "read_stored",
    "unpack_wheel",
    "wheel_parts",
]

BUILD = re.compile(r"(\d+)(.*)")
UNRECORDED = ("RECORD", "RECORD.jws", "RECORD.p7s")
# Wheel-Version 1.x, the only one that the packaging guide's binary distribution format has.
SUPPORTED_MAJOR = 1
# Read into memory, before its size is known to be true.
METADATA_LIMIT_BYTES = 20_000_000


class WheelName(Struct, frozen=True):
    """What a wheel's file name says."""

    project: NormalizedName
    version: Version
    build: tuple[int, str] | tuple[()]
    tags: frozenset[Tag]


def parse_wheel_name(file_name: str) -> WheelName | None:
    """Return what a wheel's file name says, or None for a name that is none."""
    try:
        return WheelName(*parse_wheel_filename(file_name))
    except (InvalidWheelFilename, ValueError):
        return None


class WheelParts(Struct, frozen=True, kw_only=True):
    """The parts of a wheel's file name as texts; `build` is its number and what follows that, (0, "") for none."""

    project: str
    version: str
    build: tuple[int, str]
    tags: str


def wheel_parts(file_name: str) -> WheelParts | None:
    """Return the parts of a wheel's file name without reading them further, or None for another name."""
    parts = file_name.removesuffix(".whl").split("-")
    if not file_name.endswith(".whl") or len(parts) not in (5, 6):
        return None
    found = BUILD.match(parts[2]) if len(parts) == 6 else None
    if len(parts) == 6 and found is None:
        return None
    build = (int(found[1]), found[2]) if found else (0, "")
    return WheelParts(project=parts[0], version=parts[1], build=build, tags="-".join(parts[-3:]))


def find_info_folder(names: Sequence[str], project: str, where: str) -> str:
    """Return the name of the wheel's one `.dist-info` folder; raises WheelBroken."""
    folders = sorted({name.split("/", 1)[0] for name in names if name.split("/", 1)[0].endswith(".dist-info")})
    if len(folders) != 1:
        raise WheelBroken(f"it has {len(folders)} .dist-info folders, not one", where=where)
    if canonicalize_name(folders[0].removesuffix(".dist-info").split("-")[0]) != canonicalize_name(project):
        raise WheelBroken(f"its folder {folders[0]!r} belongs to another project than {project!r}", where=where)
    return folders[0]


def read_metadata_of_wheel(path: str, project: str) -> Metadata:
    """Read the core metadata from a wheel's file without unpacking it."""
    where = os.path.basename(path)
    try:
        with open(path, "rb") as file:
            return parse_metadata(metadata_of_open_wheel(file, project, where), where)
    except OSError as error:
        raise ArchiveBroken(f"the wheel is damaged: {error}", where=where) from error


def metadata_of_open_wheel(file: IO[bytes], project: str, where: str) -> bytes:
    """Return the bytes of METADATA; of a file that is read where it is looked at, only its end is read."""
    try:
        with zipfile.ZipFile(file) as opened:
            name = f"{find_info_folder(opened.namelist(), project, where)}/METADATA"
            with opened.open(name) as member:
                return member.read(METADATA_LIMIT_BYTES)
    except KeyError as error:
        raise WheelBroken("it has no METADATA", where=where) from error
    except DAMAGED as error:
        raise ArchiveBroken(f"the wheel is damaged: {error}", where=where) from error


def unpack_wheel(path: str, folder: str, project: str) -> tuple[StoredFile, ...]:
    """Unpack a wheel, each member checked against RECORD; raises WheelBroken and ArchiveBroken."""
    where = os.path.basename(path)
    unpacked = unpack_zip(path, folder)
    info = find_info_folder([one.name for one in unpacked], project, where)
    by_name = {one.name: one for one in unpacked}
    _check_version(by_name, folder, info, where)
    _check_record(by_name, folder, info, where)
    return tuple(
        StoredFile(
            name=one.name,
            size_bytes=one.size_bytes,
            mtime_ns=os.lstat(os.path.join(folder, one.name)).st_mtime_ns,
            sha256=one.sha256,
            executable=one.executable,
        )
        for one in unpacked
    )


def read_stored(content: Content, name: str) -> bytes | None:
    """Read one file of an unpacked wheel, or None where it has none of that name."""
    try:
        with open(content.place(name), "rb") as file:
            return file.read()
    except FileNotFoundError:
        return None


def _check_version(by_name: Mapping[str, Unpacked], folder: str, info: str, where: str) -> None:
    if f"{info}/WHEEL" not in by_name:
        raise WheelBroken("it has no WHEEL file", where=where)
    with open(os.path.join(folder, info, "WHEEL"), encoding="utf-8", errors="replace") as file:
        fields = dict(line.split(":", 1) for line in file.read().splitlines() if ":" in line)
    version = fields.get("Wheel-Version", "").strip()
    if version.split(".")[0] != str(SUPPORTED_MAJOR):
        raise WheelBroken(f"its format is version {version or 'unknown'}, not {SUPPORTED_MAJOR}.x", where=where)


def _check_record(by_name: Mapping[str, Unpacked], folder: str, info: str, where: str) -> None:
    if f"{info}/RECORD" not in by_name:
        raise WheelBroken("it has no RECORD", where=where)
    with open(os.path.join(folder, info, "RECORD"), "rb") as file:
        rows = {row.path: row for row in parse_record(file.read(), where)}
    unrecorded = {f"{info}/{one}" for one in UNRECORDED}
    for name, member in by_name.items():
        if name in unrecorded:
            continue
        row = rows.get(name)
        if row is None or not row.digest:
            raise WheelBroken(f"its RECORD has no hash for {name!r}", where=where)
        if not _matches(row.digest, member, os.path.join(folder, name)):
            raise WheelBroken(f"{name!r} differs from its RECORD", where=where, next_step="fetch it again")
    missing = [path for path, row in rows.items() if row.digest and path not in by_name]
    if missing:
        raise WheelBroken(f"its RECORD lists {missing[0]!r}, which is missing", where=where)


def _matches(digest: str, member: Unpacked, path: str) -> bool:
    """Compare with the digest that was taken while unpacking; the standard allows longer ones as well."""
    algorithm, _, value = digest.partition("=")
    if algorithm == "sha256":
        return digest.rstrip("=") == hash_text(member.sha256)
    if algorithm not in ("sha384", "sha512"):
        return False
    with open(path, "rb") as file:
        raw = hashlib.file_digest(file, algorithm).digest()
    return value.rstrip("=") == base64.urlsafe_b64encode(raw).decode("ascii").rstrip("=")
