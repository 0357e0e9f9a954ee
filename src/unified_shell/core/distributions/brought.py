"""What a wheel brings, from the list of its members: commands, names to import, its licence, the room that it takes."""

import math
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import IO

from packaging.utils import canonicalize_name

from unified_shell.core.archives.zip_archives import DAMAGED
from unified_shell.core.errors import ArchiveBroken

from .entry_points import parse_entry_points
from .import_names import import_names
from .metadata import parse_metadata
from .wheels import find_info_folder

__all__ = ["Brought", "brought_by", "brought_by_open_wheel"]

TEXT_LIMIT_BYTES = 1_000_000
# Byte code is made of every module: measured on a scientific set of 6,000, it takes half as much again as its source.
BYTECODE_RATIO = 1.5
# What the common file systems give a file at a time.
BLOCK_BYTES = 4096


@dataclass(frozen=True, slots=True, kw_only=True)
class Brought:
    """The project, commands and import names of a wheel, its licence as it says itself (empty: not told), its size on disk
    with byte code (an estimate for that part), and the `.pth` files by which it runs code at each start of Python.
    """

    project: str
    commands: tuple[str, ...]
    imports: tuple[str, ...]
    licence: str
    disk_bytes: int
    runs_at_start: tuple[str, ...] = ()


def brought_by(
    project: str,
    where: str,
    files: Sequence[tuple[str, int]],
    read: Callable[[str], bytes | None],
) -> Brought:
    """Return what files come to, each a name in the wheel with its size in bytes; `read` gives the bytes of one, None
    where it is not there. Raises WheelBroken.
    """
    info = find_info_folder([name for name, _ in files], project, where)
    entries, metadata = read(f"{info}/entry_points.txt"), read(f"{info}/METADATA")
    commands = [one.name for one in parse_entry_points(entries, where)] if entries else []
    modules: list[str] = []
    size = 0
    for name, size_bytes in files:
        size += _on_disk(size_bytes) + (_on_disk(size_bytes * BYTECODE_RATIO) if name.endswith(".py") else 0)
        folder, _, below = name.partition("/")
        if not folder.endswith(".data"):
            modules.append(name)
            continue
        scheme, _, rest = below.partition("/")
        if scheme in ("purelib", "platlib"):
            modules.append(rest)
        elif scheme == "scripts" and rest.isprintable() and "/" not in rest:
            commands.append(rest)
    return Brought(
        project=canonicalize_name(project),
        commands=tuple(sorted(dict.fromkeys(one for one in commands if one))),
        imports=import_names(project, modules),
        licence=parse_metadata(metadata, where).licence if metadata else "",
        disk_bytes=size,
        runs_at_start=tuple(name for name in modules if _runs_code(name, read)),
    )


def _runs_code(name: str, read: Callable[[str], bytes | None]) -> bool:
    """Tell whether a file is a `.pth` with a line that the `site` module runs: one that begins with `import`."""
    if "/" in name or not name.endswith(".pth"):
        return False
    lines = (read(name) or b"").splitlines()
    return any(line.startswith((b"import ", b"import\t")) for line in lines)


def _on_disk(size_bytes: float) -> int:
    return math.ceil(size_bytes / BLOCK_BYTES) * BLOCK_BYTES


def brought_by_open_wheel(file: IO[bytes], project: str, where: str) -> Brought:
    """Return what a wheel brings; of a file that is read where it is looked at, only its end is read.

    Raises WheelBroken and ArchiveBroken.
    """
    try:
        with zipfile.ZipFile(file) as opened:

            def read(name: str) -> bytes | None:
                if name not in opened.NameToInfo:
                    return None
                with opened.open(name) as member:
                    return member.read(TEXT_LIMIT_BYTES)

            members = [(one.filename, one.file_size) for one in opened.infolist() if not one.is_dir()]
            return brought_by(project, where, members, read)
    except (*DAMAGED, OSError) as error:
        raise ArchiveBroken(f"the wheel is damaged: {error}", where=where) from error
