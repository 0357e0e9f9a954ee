"""The strict extractor against archives that a hostile stranger would make."""

import io
import os
import stat
import struct
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unified_shell.core.archives.members import Limits, member_parts
from unified_shell.core.archives.unpacking import unpack_zip
from unified_shell.core.errors import ArchiveBroken


def _zip(*members: tuple[str, bytes], kind: int = stat.S_IFREG, mode: int = 0o644) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in members:
            info = zipfile.ZipInfo(name, (2026, 5, 1, 9, 0, 0))
            info.external_attr = (kind | mode) << 16
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, content)
    return out.getvalue()


def _two_names_for_one() -> bytes:
    """A member whose name in the directory differs from the one before its bytes."""
    whole = _zip(("inside", b"x"))
    return whole.replace(b"inside", b"INSIDE", 1)


def _false_size() -> bytes:
    whole = bytearray(_zip(("a", b"x" * 1000)))
    at = whole.index(b"PK\x01\x02")
    whole[at + 24 : at + 28] = struct.pack("<I", 10)
    return bytes(whole)


HOSTILE: dict[str, tuple[Callable[[], bytes], str]] = {
    "parent": (lambda: _zip(("../x", b"")), "'..'"),
    "parent inside": (lambda: _zip(("a/../../x", b"")), "'..'"),
    "absolute": (lambda: _zip(("/tmp/x", b"")), "is not relative"),
    "two slashes": (lambda: _zip(("a//x", b"")), "empty"),
    "dot": (lambda: _zip(("./x", b"")), "'.'"),
    "backslash": (lambda: _zip(("a\\x", b"")), "of another system"),
    "drive": (lambda: _zip(("C:/x", b"")), "of another system"),
    "newline": (lambda: _zip(("a\nb", b"")), "control character"),
    "NUL": (lambda: _zip(("a_b", b"")).replace(b"a_b", b"a\0b"), "control character"),
    "too long": (lambda: _zip(("x" * 256, b"")), "is too long"),
    "twice": (lambda: _zip(("a", b"1"), ("a", b"2")), "is there twice"),
    "file and folder": (lambda: _zip(("a", b"1"), ("a/b", b"2")), "is a file and a folder"),
    "folder and file": (lambda: _zip(("a/b", b"1"), ("a", b"2")), "is a file and a folder"),
    "link": (lambda: _zip(("a", b"/etc"), kind=stat.S_IFLNK), "is no regular file"),
    "device": (lambda: _zip(("a", b""), kind=stat.S_IFCHR), "is no regular file"),
    "pipe": (lambda: _zip(("a", b""), kind=stat.S_IFIFO), "is no regular file"),
    "bomb": (lambda: _zip(("a", b"\0" * 90_000_000)), "far more than its size allows"),
    "cut": (lambda: _zip(("a", b"x" * 5000))[:-30], "damaged"),
    "flipped": (lambda: _zip(("a", os.urandom(500))).replace(b"PK\x03\x04", b"PK\x03\x05", 1), "damaged"),
    "two names for one": (_two_names_for_one, "damaged"),
    "false size": (_false_size, "damaged"),
    "empty": (lambda: b"", "damaged"),
    "no archive": (lambda: b"#!/bin/sh\n", "damaged"),
}


@pytest.mark.parametrize(("make", "said"), HOSTILE.values(), ids=HOSTILE.keys())
def test_hostile_archives_are_refused_and_nothing_is_outside(
    tmp_path: Path, make: Callable[[], bytes], said: str
) -> None:
    archive = tmp_path / "in" / "a.zip"
    archive.parent.mkdir()
    archive.write_bytes(make())
    target = tmp_path / "deep" / "out"
    target.parent.mkdir()
    with pytest.raises(ArchiveBroken, match=said):
        unpack_zip(str(archive), str(target))
    outside = {path for path in tmp_path.rglob("*") if target not in (path, *path.parents)}
    assert outside == {archive, archive.parent, target.parent}


def test_a_good_archive_comes_out_whole(tmp_path: Path) -> None:
    archive = tmp_path / "a.zip"
    names = [f"folder{n}/deeper/file{n}" for n in range(250)]
    archive.write_bytes(_zip(*((name, name.encode()) for name in names), mode=0o6777))
    made = unpack_zip(str(archive), str(tmp_path / "out"))
    assert [one.name for one in made] == names
    for name in names:
        path = tmp_path / "out" / name
        assert path.read_text() == name
        assert path.stat().st_mode & 0o7777 & ~0o755 == 0, "no set-id bits, nothing for others to write"
        assert path.stat().st_mode & 0o100, "what may be executed still may"


def test_members_are_bounded(tmp_path: Path) -> None:
    archive = tmp_path / "a.zip"
    archive.write_bytes(_zip(("a", b""), ("b", b""), ("c", b"")))
    with pytest.raises(ArchiveBroken, match="3 members"):
        unpack_zip(str(archive), str(tmp_path / "out"), limits=Limits(members=2))


@given(st.text(max_size=60))
def test_an_accepted_name_stays_inside(name: str) -> None:
    try:
        parts = member_parts(name, "a.zip")
    except (ArchiveBroken, UnicodeEncodeError):
        return
    joined = os.path.normpath(os.path.join("/top", *parts))
    assert joined == "/top/" + "/".join(parts)
