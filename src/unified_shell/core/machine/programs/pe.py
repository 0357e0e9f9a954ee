"""What a program file of Windows is and needs, read from its headers.

Source: the Microsoft Portable Executable and COFF specification: the COFF header, the optional header's magic number and
subsystem, the section table, and the import directory.
"""

import os
import struct
from collections.abc import Callable, Iterator, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.machine.files.reading_at import read_at

from .executables import PE_MACHINES

__all__ = ["PeFile", "lacking_windows_libraries", "read_pe"]

IMAGE_FILE_DLL = 0x2000
WIDE_MAGIC, NARROW_MAGIC = 0x20B, 0x10B
SUBSYSTEMS = {2: "window", 3: "console"}
# The entries of the import directory: five numbers each, the last one all zero.
IMPORT_BYTES = 20
MOST_IMPORTS, MOST_SECTIONS = 512, 96
# Sets of the system's own interfaces, which are no files.
SYSTEM_SETS = ("api-ms-win-", "ext-ms-win-")


class PeFile(Struct, frozen=True, kw_only=True):
    """The facts. `subsystem` is `console`, `window`, or empty for another; `needs` are the libraries that are loaded with it;
    `lost_bytes` of its sections are not in the file.
    """

    architecture: str
    word_size_bits: int
    is_library: bool
    subsystem: str
    needs: tuple[str, ...] = ()
    lost_bytes: int = 0

    @property
    def title(self) -> str:
        """Say it in a person's words."""
        kind = "library" if self.is_library else "program in a window" if self.subsystem == "window" else "program"
        return f"{kind} for Windows on {self.architecture}, {self.word_size_bits} bit"


class _Section(Struct, frozen=True, kw_only=True):
    """A section: where it is in memory, and where in the file."""

    address: int
    size: int
    offset: int
    stored: int


def read_pe(path: str) -> PeFile | None:
    """Return the facts of a file; None where its headers are not those of such a program, or are not whole."""
    try:
        with open(path, "rb") as file:
            number, size = file.fileno(), os.fstat(file.fileno()).st_size
            return _parse(lambda count, at: read_at(number, count, at), size)
    except (OSError, struct.error, ValueError):
        return None


def lacking_windows_libraries(path: str, folders: Sequence[str]) -> tuple[str, ...]:
    """Return the libraries that a program or library needs and that are in none of these folders, nor beside it; those that
    the found ones need are looked for likewise.
    """
    top = read_pe(path)
    if top is None:
        return ()
    searched = [os.path.dirname(path), *folders]
    names = _names_in(searched)
    lacking: list[str] = []
    seen: set[str] = set()
    waiting = list(top.needs)
    while waiting:
        name = waiting.pop(0)
        low = name.lower()
        if low in seen or low.startswith(SYSTEM_SETS):
            continue
        seen.add(low)
        place = names.get(low)
        found = read_pe(place) if place is not None else None
        # One of another word size is passed over, as the loader does.
        if found is None or found.word_size_bits != top.word_size_bits:
            lacking.append(name)
        elif os.path.dirname(place or "") == os.path.dirname(path):
            waiting += found.needs
    return tuple(lacking)


def _names_in(folders: Sequence[str]) -> Mapping[str, str]:
    found: dict[str, str] = {}
    for folder in folders:
        try:
            names = os.listdir(folder)
        except OSError:
            continue
        for name in names:
            found.setdefault(name.lower(), os.path.join(folder, name))
    return found


def _parse(read: Callable[[int, int], bytes], size: int) -> PeFile | None:
    head = read(64, 0)
    if head[:2] != b"MZ" or len(head) < 64:
        return None
    (at,) = struct.unpack_from("<I", head, 0x3C)
    coff = read(24, at)
    if coff[:4] != b"PE\0\0" or len(coff) < 24:
        return None
    machine, count, _, _, _, optional_bytes, characteristics = struct.unpack_from("<HHIIIHH", coff, 4)
    optional = read(optional_bytes, at + 24)
    (magic,) = struct.unpack_from("<H", optional, 0)
    if magic not in (WIDE_MAGIC, NARROW_MAGIC):
        return None
    (subsystem,) = struct.unpack_from("<H", optional, 68)
    sections = tuple(_sections(read(40 * min(count, MOST_SECTIONS), at + 24 + optional_bytes)))
    end = max((one.offset + one.stored for one in sections), default=0)
    directories = 112 if magic == WIDE_MAGIC else 96
    imports = 0
    if len(optional) >= directories + 16:
        (imports,) = struct.unpack_from("<I", optional, directories + 8)
    return PeFile(
        architecture=PE_MACHINES.get(machine, f"machine {machine}"),
        word_size_bits=64 if magic == WIDE_MAGIC else 32,
        is_library=bool(characteristics & IMAGE_FILE_DLL),
        subsystem=SUBSYSTEMS.get(subsystem, ""),
        needs=tuple(_imports(read, imports, sections)) if imports else (),
        lost_bytes=max(0, end - size),
    )


def _sections(table: bytes) -> Iterator[_Section]:
    for at in range(0, len(table) - 39, 40):
        size, address, stored, offset = struct.unpack_from("<IIII", table, at + 8)
        yield _Section(address=address, size=max(size, stored), offset=offset, stored=stored)


def _imports(read: Callable[[int, int], bytes], address: int, sections: Sequence[_Section]) -> Iterator[str]:
    for number in range(MOST_IMPORTS):
        place = _in_file(address + number * IMPORT_BYTES, sections)
        entry = read(IMPORT_BYTES, place) if place is not None else b""
        if len(entry) < IMPORT_BYTES or not any(entry):
            return
        (name,) = struct.unpack_from("<I", entry, 12)
        place = _in_file(name, sections)
        text = read(256, place).split(b"\0", 1)[0] if place is not None else b""
        if text:
            yield text.decode("ascii", "replace")


def _in_file(address: int, sections: Sequence[_Section]) -> int | None:
    """Return where in the file an address of memory is stored."""
    for one in sections:
        if one.address <= address < one.address + one.size:
            return one.offset + address - one.address
    return None
