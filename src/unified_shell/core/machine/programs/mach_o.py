"""What a program file of macOS is and needs, read from its headers and load commands.

Source: Apple's `mach-o/loader.h` and `mach-o/fat.h`; where libraries are looked for, the manual page dyld(1). A universal file
holds one program for each kind of machine.
"""

import os
import struct
from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct

from unified_shell.core.machine.files.reading_at import read_at

from .executables import MACH_O, MACH_O_MACHINES, WIDE_MACHINES

__all__ = ["MachO", "lacking_mac_libraries", "read_mach_o"]

FAT, FAT_WIDE = 0xCAFEBABE, 0xCAFEBABF
MOST_PARTS, MOST_COMMANDS, MOST_COMMAND_BYTES = 20, 4096, 1 << 20
# Kinds of file (MH_EXECUTE, MH_DYLIB, MH_BUNDLE), and load commands; the bit says that the loader must know them.
PROGRAM, LIBRARY, BUNDLE = 2, 6, 8
MUST = 0x80000000
ID_LIBRARY, LOAD_LIBRARY, RUN_PATH = 0xD, 0xC, 0x1C | MUST
LOAD_WEAK, LOAD_AGAIN, LOAD_LATE = 0x18 | MUST, 0x1F | MUST, 0x20
NEEDED = (LOAD_LIBRARY, LOAD_AGAIN, LOAD_LATE)
SEGMENT, SEGMENT_WIDE = 0x1, 0x19
OLDEST_SYSTEM, BUILD_VERSION = 0x24, 0x32
MACOS = 1
# Apple's own libraries are in one file of the system's since macOS 11, and none of their places need exist.
SYSTEMS_OWN = ("/usr/lib/", "/System/")


class MachO(Struct, frozen=True, kw_only=True):
    """The facts of one machine's part. `needs` are libraries without which it does not start, `run_paths` the folders that
    `@rpath` stands for, `oldest_system` the macOS that it was made for, such as `11.0`; `lost_bytes` are not in the file.
    """

    architecture: str
    kind: str
    needs: tuple[str, ...] = ()
    run_paths: tuple[str, ...] = ()
    name: str = ""
    oldest_system: str = ""
    lost_bytes: int = 0

    @property
    def word_size_bits(self) -> int:
        """32 or 64."""
        return 64 if self.architecture in WIDE_MACHINES else 32


Read = Callable[[int, int], bytes]


def read_mach_o(path: str) -> tuple[MachO, ...]:
    """Return the facts of each machine's part of a file; none where its headers are not those of such a program."""
    try:
        with open(path, "rb") as file:
            number, size = file.fileno(), os.fstat(file.fileno()).st_size
            return tuple(_parts(lambda count, at: read_at(number, count, at), size))
    except (OSError, struct.error, ValueError):
        return ()


def lacking_mac_libraries(path: str, architecture: str) -> tuple[str, ...]:
    """Return the libraries that a program's part for a machine needs, itself or by another one, and that are not there."""
    top = os.path.dirname(os.path.realpath(path))
    lacking: list[str] = []
    seen: set[str] = set()
    waiting: list[tuple[str, tuple[str, ...]]] = [(os.path.realpath(path), ())]
    while waiting:
        place, above = waiting.pop(0)
        part = next((one for one in read_mach_o(place) if one.architecture == architecture), None)
        if part is None:
            continue
        here = os.path.dirname(place)
        paths = (*(_expanded(one, here, top) for one in part.run_paths), *above)
        for needed in part.needs:
            if needed in seen or needed.startswith(SYSTEMS_OWN):
                continue
            seen.add(needed)
            found = next((one for one in _places(needed, here, top, paths) if os.path.exists(one)), None)
            if found is None:
                lacking.append(needed)
            else:
                waiting.append((os.path.realpath(found), paths))
    return tuple(lacking)


def _places(needed: str, here: str, top: str, run_paths: Sequence[str]) -> tuple[str, ...]:
    if needed.startswith("@rpath/"):
        return tuple(os.path.join(one, needed.removeprefix("@rpath/")) for one in run_paths)
    return (_expanded(needed, here, top),)


def _expanded(text: str, here: str, top: str) -> str:
    for word, folder in (("@loader_path", here), ("@executable_path", top)):
        if text == word or text.startswith(f"{word}/"):
            return folder + text.removeprefix(word)
    return text


def _parts(read: Read, size: int) -> Iterator[MachO]:
    (magic,) = struct.unpack(">I", read(4, 0))
    if magic not in (FAT, FAT_WIDE):
        yield from _part(read, 0, size)
        return
    (count,) = struct.unpack(">I", read(4, 4))
    form = ">IIIII" if magic == FAT else ">IIQQII"
    step = struct.calcsize(form)
    # Class files of Java begin alike; theirs is a version, and larger.
    for number in range(count if count <= MOST_PARTS else 0):
        offset = struct.unpack(form, read(step, 8 + number * step))[2]
        yield from _part(read, offset, size)


def _part(read: Read, start: int, size: int) -> Iterator[MachO]:
    order = MACH_O.get(read(4, start))
    if order is None:
        return
    is_wide = read(4, start) in (b"\xcf\xfa\xed\xfe", b"\xfe\xed\xfa\xcf")
    machine, _, kind, count, length = struct.unpack(f"{order}IIIII", read(20, start + 4))
    at = 32 if is_wide else 28
    commands = read(min(length, MOST_COMMAND_BYTES), start + at)
    found = list(_commands(commands, order, count))
    texts = [(number, _text(order, body)) for number, body in found if number in (*NEEDED, RUN_PATH, ID_LIBRARY)]
    ends = [_segment_end(order, number, body) for number, body in found if number in (SEGMENT, SEGMENT_WIDE)]
    # What is cut within the commands has lost them at least.
    end = max([at + length, *ends])
    yield MachO(
        architecture=MACH_O_MACHINES.get(machine, f"machine {machine}"),
        kind={PROGRAM: "program", LIBRARY: "library", BUNDLE: "module"}.get(kind, "object"),
        needs=tuple(dict.fromkeys(text for number, text in texts if number in NEEDED)),
        run_paths=tuple(text for number, text in texts if number == RUN_PATH),
        name=next((text for number, text in texts if number == ID_LIBRARY), ""),
        oldest_system=next((one for number, body in found if (one := _oldest(order, number, body))), ""),
        lost_bytes=max(0, start + end - size),
    )


def _commands(table: bytes, order: str, count: int) -> Iterator[tuple[int, bytes]]:
    at = 0
    for _ in range(min(count, MOST_COMMANDS)):
        if at + 8 > len(table):
            return
        number, size = struct.unpack_from(f"{order}II", table, at)
        if size < 8:
            return
        yield number, table[at : at + size]
        at += size


def _text(order: str, body: bytes) -> str:
    if len(body) < 12:
        return ""
    (offset,) = struct.unpack_from(f"{order}I", body, 8)
    return os.fsdecode(body[offset:].split(b"\0", 1)[0])


def _segment_end(order: str, number: int, body: bytes) -> int:
    form, at = (f"{order}QQ", 40) if number == SEGMENT_WIDE else (f"{order}II", 32)
    if len(body) < at + struct.calcsize(form):
        return 0
    offset, stored = struct.unpack_from(form, body, at)
    return int(offset + stored)


def _oldest(order: str, number: int, body: bytes) -> str:
    if number == BUILD_VERSION and len(body) >= 16:
        platform, packed = struct.unpack_from(f"{order}II", body, 8)
        if platform != MACOS:
            return ""
    elif number == OLDEST_SYSTEM and len(body) >= 12:
        (packed,) = struct.unpack_from(f"{order}I", body, 8)
    else:
        return ""
    return f"{packed >> 16}.{packed >> 8 & 0xFF}"
