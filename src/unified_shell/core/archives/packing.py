"""Packing a tree into an archive; its name says of which kind, and how it is compressed."""

import contextlib
import errno
import io
import os
import shutil
import tarfile
from collections.abc import Callable, Iterator
from typing import IO, BinaryIO, cast

from unified_shell.core.errors import CouldNot, UsageError
from unified_shell.core.machine.places import inside, join

from .zip_packing import write_zip

__all__ = ["check_archive_name", "pack_tree"]

# Progress at each file would cost more than packing small ones.
TOLD_EACH = 50
ENDINGS = (".tar.gz", ".tar.xz", ".tar.bz2", ".tar.zst", ".tar", ".zip")


def check_archive_name(path: str) -> None:
    """Raise UsageError for a name that does not say what kind of archive it is."""
    if not path.endswith(ENDINGS):
        raise UsageError(f"{path!r} has no known archive suffix", next_step=f"end it with {', '.join(ENDINGS)}")


def pack_tree(
    tree: str,
    root: str,
    archive: str,
    extra: dict[str, bytes],
    *,
    work: str = "",
    progress: Callable[[str], None] = lambda _phase: None,
) -> int:
    """Write a tree below the folder `root` of an archive and return the number of its members.

    `extra` are files that are put beside the tree's own. Owners are not kept, times are: byte code depends on
    them. Until it is whole it grows in the folder `work`, beside its place if there is none. Raises CouldNot for what cannot be unpacked again: devices, and links that lead out of the tree.
    """
    part = join(work, f"{os.getpid()}-{os.path.basename(archive)}") if work else f"{archive}.part"
    members = list(_members(tree, extra))
    count = 0

    def told(count: int) -> None:
        if count % TOLD_EACH == 0:
            progress(f"pack, {count} of {len(members)}")

    try:
        os.makedirs(os.path.dirname(os.path.abspath(part)), exist_ok=True)
        if archive.endswith(".zip"):
            named = [(path, f"{root}/{os.path.relpath(path, tree)}".replace(os.sep, "/")) for path in members]
            count = write_zip(part, named, {f"{root}/{name}": one for name, one in extra.items()}, told)
            _put(part, archive)
            return count
        with (
            _compressed(part, archive) as out,
            tarfile.open(fileobj=out, mode="w|", format=tarfile.PAX_FORMAT) as tar,
        ):
            for name, content in extra.items():
                info = tarfile.TarInfo(f"{root}/{name}")
                info.size, info.mode = len(content), 0o644
                tar.addfile(info, io.BytesIO(content))
            for path in members:
                count += _add(tar, path, f"{root}/{os.path.relpath(path, tree)}", tree)
                told(count)
        _put(part, archive)
    except OSError as error:
        raise CouldNot(f"{archive} could not be written: {(error.strerror or str(error)).lower()}") from error
    finally:
        with contextlib.suppress(OSError):
            os.unlink(part)
    return count


def _put(part: str, archive: str) -> None:
    """Move a file to its place in one go, from another file system by a copy beside it."""
    try:
        os.replace(part, archive)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        beside = f"{archive}.part"
        try:
            shutil.copyfile(part, beside)
            os.replace(beside, archive)
        finally:
            with contextlib.suppress(FileNotFoundError):
                os.unlink(beside)


def _members(tree: str, extra: dict[str, bytes]) -> Iterator[str]:
    for folder, below, names in os.walk(tree):
        below.sort()
        linked = [one for one in below if os.path.islink(join(folder, one))]
        for name in sorted([*names, *linked]):
            if folder != tree or name not in extra:
                yield join(folder, name)
        for name in below:
            if name not in linked and not os.listdir(join(folder, name)):
                yield join(folder, name)


def _add(tar: tarfile.TarFile, path: str, name: str, tree: str) -> int:
    info = tar.gettarinfo(path, arcname=name)
    if not (info.isreg() or info.isdir() or info.issym() or info.islnk()):
        raise CouldNot(f"{path} is neither a file, a folder nor a link, and cannot be packed")
    if info.issym():
        info.linkname = _relative(path, info.linkname, tree)
    info.uid = info.gid = 0
    info.uname = info.gname = ""
    if info.isreg():
        with open(path, "rb") as file:
            tar.addfile(info, file)
    else:
        tar.addfile(info)
    return 1


def _relative(path: str, target: str, tree: str) -> str:
    full = target if target.startswith("/") else os.path.normpath(join(os.path.dirname(path), target))
    if not inside(full, tree):
        raise CouldNot(
            f"{path} is a link to {target}, outside of what is packed: an archive of it would not stand on its own"
        )
    return os.path.relpath(full, os.path.dirname(path))


@contextlib.contextmanager
def _compressed(path: str, name: str) -> Iterator[IO[bytes]]:
    with contextlib.ExitStack() as stack:
        file = stack.enter_context(open(path, "wb"))
        if name.endswith(".gz"):
            import gzip

            # Without a name in its head: that of the file while it grows is another each time.
            yield cast(
                "BinaryIO",
                stack.enter_context(gzip.GzipFile(filename="", fileobj=file, mode="wb", compresslevel=6, mtime=0)),
            )
        elif name.endswith(".xz"):
            import lzma

            yield stack.enter_context(lzma.open(file, "wb", preset=3))
        elif name.endswith(".bz2"):
            import bz2

            yield stack.enter_context(bz2.open(file, "wb"))
        elif name.endswith(".zst"):
            import zstandard

            yield cast("BinaryIO", stack.enter_context(zstandard.ZstdCompressor(level=6).stream_writer(file)))
        else:
            yield file
