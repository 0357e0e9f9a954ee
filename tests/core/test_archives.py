"""The strict extractor against archives that a hostile stranger would make."""

import bz2
import gzip
import io
import lzma
import os
import stat
import struct
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from unified_shell.core.archives.members import Limits, member_parts
from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.archives.zip_archives import unpack_zip
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
    "twice": (lambda: _zip(("a", b"1"), ("a", b"2")), "occurs twice"),
    "file and folder": (lambda: _zip(("a", b"1"), ("a/b", b"2")), "is a file and a folder"),
    "folder and file": (lambda: _zip(("a/b", b"1"), ("a", b"2")), "is a file and a folder"),
    "link": (lambda: _zip(("a", b"/etc"), kind=stat.S_IFLNK), "is not a regular file"),
    "device": (lambda: _zip(("a", b""), kind=stat.S_IFCHR), "is not a regular file"),
    "pipe": (lambda: _zip(("a", b""), kind=stat.S_IFIFO), "is not a regular file"),
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


Entry = tuple[str, bytes, str]


def _tar(*entries: Entry, mode: int = 0o644, mtime: int = 1_770_000_000) -> bytes:
    """A tar of (name, content or target, kind): `f`ile, `d`irectory, `s`ymbolic link, `h`ard link, `c`haracter device, `p`ipe."""
    kinds = {"f": tarfile.REGTYPE, "d": tarfile.DIRTYPE, "s": tarfile.SYMTYPE, "h": tarfile.LNKTYPE}
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w", format=tarfile.PAX_FORMAT) as archive:
        for name, content, kind in entries:
            info = tarfile.TarInfo(name)
            info.type = kinds.get(kind) or {"c": tarfile.CHRTYPE, "p": tarfile.FIFOTYPE}[kind]
            info.mode, info.mtime = mode, mtime
            if kind in "sh":
                info.linkname = os.fsdecode(content)
            info.size = len(content) if kind == "f" else 0
            archive.addfile(info, io.BytesIO(content) if kind == "f" else None)
    return out.getvalue()


def _beyond_path_max() -> bytes:
    """Links whose resolved length exceeds PATH_MAX, so that a resolver gives up, then one that climbs."""
    long, entries, path = "d" * 247, [], ""
    for step in "abcdefghijklmnop":
        entries += [(path + long, b"", "d"), (path + step, long.encode(), "s")]
        path += f"{long}/"
    short = "/".join("abcdefghijklmnop")
    entries += [
        (f"{short}/" + "l" * 254, b"../" * 16, "s"),
        ("escape", f"{short}/{'l' * 254}/../../out".encode(), "s"),
    ]
    return _tar(*entries)


GOOD = _tar(("top/a", b"x" * 3000, "f"), ("top/b", b"a", "s"), ("top/c", b"top/a", "h"), ("top/d/e", b"../b", "s"))


def _bomb() -> bytes:
    """A file of zeros, 300 MB in 200 bytes for each 10 MB: what is packed piece by piece is one stream to whoever unpacks it."""
    whole = _tar(("a", b"\0" * 300_000_000, "f"))
    zeros = bz2.compress(b"\0" * 10_000_000)
    return bz2.compress(whole[:512]) + zeros * 30 + bz2.compress(whole[300_000_512:])


HOSTILE_TAR: dict[str, tuple[Callable[[], bytes], str]] = {
    "parent": (lambda: _tar(("../x", b"", "f")), r"'\.\.'"),
    "absolute": (lambda: _tar(("/tmp/x", b"", "f")), "is not relative"),
    "link to elsewhere": (lambda: _tar(("l", b"/etc", "s")), "outside of the archive"),
    "link up": (lambda: _tar(("l", b"../out", "s")), "outside of the archive"),
    "link up from the one root": (lambda: _tar(("r/l", b"../out", "s")), "outside of the archive"),
    "link that climbs late": (lambda: _tar(("a/l", b"x/../../y", "s")), "outside of the archive"),
    "through a link": (
        lambda: _tar(("l", b"d", "s"), ("d/x", b"", "f"), ("l/y", b"1", "f")),
        "a file and a folder|no symbolic links",
    ),
    "file over a link": (lambda: _tar(("l", b"keep", "s"), ("keep", b"1", "f"), ("l", b"2", "f")), "occurs twice"),
    "second name of nothing here": (lambda: _tar(("h", b"/etc/passwd", "h")), "is not relative"),
    "second name of a stranger": (lambda: _tar(("h", b"other", "h")), "not in the archive"),
    "second name of a link": (lambda: _tar(("l", b"x", "s"), ("h", b"l", "h")), "not in the archive"),
    "beyond PATH_MAX": (_beyond_path_max, "outside of the archive|a file and a folder"),
    "device": (lambda: _tar(("c", b"", "c")), "a device or a pipe"),
    "pipe": (lambda: _tar(("p", b"", "p")), "a device or a pipe"),
    "twice": (lambda: _tar(("a", b"1", "f"), ("a", b"2", "f")), "occurs twice"),
    "file and folder": (lambda: _tar(("a", b"1", "f"), ("a/b", b"2", "f")), "a file and a folder"),
    "newline": (lambda: _tar(("a\nb", b"", "f")), "control character"),
    "cut at a member": (lambda: GOOD[: 512 + 3072], "breaks off"),
    "cut in a member": (lambda: GOOD[:2000], "damaged"),
    "cut at the end marker": (lambda: GOOD[: 512 * 7 + 512 * 3 + 512], "breaks off"),
    "something follows": (lambda: GOOD + b"x" * 512, "breaks off"),
    "gzip cut in its trailer": (lambda: gzip.compress(GOOD)[:-4], "damaged"),
    "gzip with another checksum": (
        lambda: gzip.compress(GOOD)[:-8] + b"\0\0\0\0" + gzip.compress(GOOD)[-4:],
        "damaged",
    ),
    "xz cut": (lambda: lzma.compress(GOOD)[:-10], "damaged"),
    "bzip2 cut": (lambda: bz2.compress(GOOD)[:-5], "damaged"),
    "zstd cut": (lambda: zstandard.compress(GOOD)[:-3], "damaged"),
    "bomb": (_bomb, "far more than its size allows"),
    "no archive": (lambda: b"#!/bin/sh\n" * 100, "is not an archive"),
    "an empty file": (lambda: b"", "is an empty file"),
}


@pytest.mark.parametrize(("make", "said"), HOSTILE_TAR.values(), ids=HOSTILE_TAR.keys())
def test_hostile_tar_archives_are_refused_and_nothing_is_outside(
    tmp_path: Path, make: Callable[[], bytes], said: str
) -> None:
    archive = tmp_path / "in" / "a"
    archive.parent.mkdir()
    archive.write_bytes(make())
    target = tmp_path / "deep" / "out"
    target.parent.mkdir()
    with pytest.raises(ArchiveBroken, match=said):
        unpack_archive(str(archive), str(target))
    outside = {path for path in tmp_path.rglob("*") if target not in (path, *path.parents)}
    assert outside == {archive, archive.parent, target.parent}


PACKED = {"tar": bytes, "gz": gzip.compress, "xz": lzma.compress, "bz2": bz2.compress, "zst": zstandard.compress}


@pytest.mark.parametrize("pack", PACKED.values(), ids=PACKED.keys())
def test_a_good_tar_comes_out_whole(tmp_path: Path, pack: Callable[[bytes], bytes]) -> None:
    archive = tmp_path / "a"
    archive.write_bytes(pack(_tar((".", b"", "d"), ("./caf\udce9", b"1", "f"), ("./x/y", b"z", "f"), mode=0o6777)))
    assert len(unpack_archive(str(archive), str(tmp_path / "flat"))) == 2
    assert (tmp_path / "flat" / os.fsdecode(b"caf\xe9")).stat().st_mtime == 1_770_000_000
    assert (tmp_path / "flat" / "x" / "y").stat().st_mode & 0o7777 & ~0o755 == 0
    archive.write_bytes(pack(GOOD))
    unpack_archive(str(archive), str(tmp_path / "out"))
    top = tmp_path / "out" / "top"
    assert root_of(str(tmp_path / "out")) == str(top)
    assert (top / "d" / "e").samefile(top / "a")
    assert (top / "c").samefile(top / "a")


@pytest.mark.posix
def test_a_zip_keeps_links_only_where_they_are_asked_for(tmp_path: Path) -> None:
    archive = tmp_path / "a.zip"
    archive.write_bytes(_zip(("top/l", b"../out"), kind=stat.S_IFLNK))
    with pytest.raises(ArchiveBroken, match="outside of the archive"):
        unpack_archive(str(archive), str(tmp_path / "bad"))
    archive.write_bytes(_zip(("top/l", b"x"), kind=stat.S_IFLNK))
    unpack_archive(str(archive), str(tmp_path / "good"))
    assert (tmp_path / "good/top/l").readlink() == Path("x")
