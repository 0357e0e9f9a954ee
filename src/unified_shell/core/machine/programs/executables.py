"""What an executable file is, read from its first bytes: never by running it.

ELF by the System V ABI, chapters 4 and 5: identification, program headers, PT_INTERP. Mach-O by its header
(mach-o/loader.h, mach-o/fat.h), PE by the Microsoft Portable Executable format: the machine of the COFF header.
"""

import os
import stat
import struct
from enum import Enum
from typing import Literal

from msgspec import Struct

__all__ = [
    "MACH_O",
    "MACH_O_MACHINES",
    "PE_MACHINES",
    "WIDE_MACHINES",
    "Executable",
    "FileKind",
    "is_executable_entry",
    "is_executable_file",
    "is_program_without_bit",
    "parse_executable",
    "read_executable",
]

# Enough for the headers of all three formats and for a first line.
HEAD_BYTES = 4096
MACHINES = {
    3: "i386",
    8: "mips",
    20: "ppc",
    21: "ppc64",
    22: "s390x",
    40: "arm",
    62: "x86_64",
    183: "aarch64",
    243: "riscv64",
}
MACH_O_MACHINES = {7: "i386", 12: "arm", 18: "ppc", 0x01000007: "x86_64", 0x0100000C: "aarch64"}
PE_MACHINES = {0x14C: "i386", 0x8664: "x86_64", 0xAA64: "aarch64", 0x1C4: "arm"}
MACH_O = {b"\xcf\xfa\xed\xfe": "<", b"\xce\xfa\xed\xfe": "<", b"\xfe\xed\xfa\xcf": ">", b"\xfe\xed\xfa\xce": ">"}
FAT = b"\xca\xfe\xba\xbe"
WIDE_MACHINES = ("x86_64", "aarch64", "ppc64", "s390x", "riscv64")
# System V ABI, program header types.
PT_INTERP = 3
# Parts of programs, which begin as scripts and programs do.
LIBRARY_ENDINGS = (".so", ".py", ".pm", ".rb", ".txt", ".md")


class FileKind(Enum):
    """What the first bytes make of a file."""

    ELF = "program"
    MACH_O = "program for macOS"
    PE = "program for Windows"
    SCRIPT = "script"
    EMPTY = "empty file"
    TEXT = "text without a first line that names an interpreter"
    OTHER = "unknown format"
    DIRECTORY = "directory"
    ABSENT = "absent"
    UNREADABLE = "unreadable"


class Executable(Struct, frozen=True, kw_only=True):
    """The facts; `interpreter` is a script's first word or a program's loader."""

    kind: FileKind
    word_size_bits: int = 0
    architecture: str = ""
    interpreter: str = ""

    @property
    def title(self) -> str:
        """Say it in a person's words, such as `program for aarch64, 64 bit`."""
        system = {FileKind.MACH_O: "macOS on ", FileKind.PE: "Windows on "}.get(self.kind, "")
        return f"program for {system}{self.architecture}, {self.word_size_bits} bit"


def is_executable_file(path: str) -> bool:
    """Tell whether the path is a file, through links, that this user may execute."""
    try:
        mode = os.stat(path).st_mode
    except (OSError, ValueError):
        return False
    return stat.S_ISREG(mode) and os.access(path, os.X_OK)


def is_executable_entry(entry: os.DirEntry[str]) -> bool:
    """Tell the same of what a folder was found to hold; a folder of the system holds thousands."""
    try:
        return stat.S_ISREG(entry.stat().st_mode) and os.access(entry.path, os.X_OK)
    except (OSError, ValueError):
        return False


def is_program_without_bit(path: str) -> bool:
    """Tell whether a file is a program or script by its first bytes that nobody may execute, as after unpacking a zip."""
    try:
        mode = os.stat(path).st_mode
    except (OSError, ValueError):
        return False
    if not stat.S_ISREG(mode) or mode & 0o111 or path.endswith(LIBRARY_ENDINGS):
        return False
    facts = read_executable(path)
    return facts.kind is FileKind.SCRIPT or (facts.kind is FileKind.ELF and bool(facts.interpreter))


def read_executable(path: str) -> Executable:
    """Read a file's first bytes and say what it is."""
    try:
        with open(path, "rb") as file:
            head = file.read(HEAD_BYTES)
    except IsADirectoryError:
        return Executable(kind=FileKind.DIRECTORY)
    except (FileNotFoundError, NotADirectoryError, ValueError):
        return Executable(kind=FileKind.ABSENT)
    except OSError:
        return Executable(kind=FileKind.UNREADABLE)
    return parse_executable(head)


def parse_executable(head: bytes) -> Executable:
    """Say what a file is from its first 4,096 bytes."""
    if not head:
        return Executable(kind=FileKind.EMPTY)
    if head.startswith(b"\x7fELF"):
        return _parse_elf(head)
    if head[:4] in MACH_O or (head.startswith(FAT) and len(head) >= 12 and 0 < head[7] < 20):
        return _parse_mach_o(head)
    if head.startswith(b"MZ") and (found := _parse_pe(head)) is not None:
        return found
    if head.startswith(b"#!"):
        words = head[2:].split(b"\n", 1)[0].split()
        return Executable(kind=FileKind.SCRIPT, interpreter=os.fsdecode(words[0]) if words else "")
    return Executable(kind=FileKind.OTHER if b"\0" in head else FileKind.TEXT)


def _parse_mach_o(head: bytes) -> Executable:
    if head.startswith(FAT):
        # Several machines' programs in one file; class files of Java begin alike, with a version above 43.
        count = min(int.from_bytes(head[4:8], "big"), 20)
        numbers = [int.from_bytes(head[8 + 20 * n : 12 + 20 * n], "big") for n in range(count)]
    else:
        order: Literal["little", "big"] = "little" if MACH_O[head[:4]] == "<" else "big"
        numbers = [int.from_bytes(head[4:8], order)]
    names = [MACH_O_MACHINES.get(one, f"machine {one}") for one in numbers]
    wide = any(one in WIDE_MACHINES for one in names)
    return Executable(kind=FileKind.MACH_O, word_size_bits=64 if wide else 32, architecture=" and ".join(names))


def _parse_pe(head: bytes) -> Executable | None:
    at = int.from_bytes(head[0x3C:0x40], "little")
    if head[at : at + 4] != b"PE\0\0":
        return None
    machine = int.from_bytes(head[at + 4 : at + 6], "little")
    name = PE_MACHINES.get(machine, f"machine {machine}")
    return Executable(kind=FileKind.PE, word_size_bits=64 if name in WIDE_MACHINES else 32, architecture=name)


def _parse_elf(head: bytes) -> Executable:
    wide, order = head[4:5] == b"\x02", ">" if head[5:6] == b"\x02" else "<"
    try:
        (machine,) = struct.unpack_from(order + "H", head, 18)
        loader = _loader(head, wide, order)
    except struct.error:
        return Executable(kind=FileKind.OTHER)
    name = MACHINES.get(machine, f"machine {machine}")
    return Executable(kind=FileKind.ELF, word_size_bits=64 if wide else 32, architecture=name, interpreter=loader)


def _loader(head: bytes, wide: bool, order: str) -> str:  # noqa: FBT001 - the class of the file
    (start,) = struct.unpack_from(order + ("Q" if wide else "I"), head, 32 if wide else 28)
    size, count = struct.unpack_from(order + "HH", head, 54 if wide else 42)
    for number in range(count):
        at = start + number * size
        if at + size > len(head):
            break
        (kind,) = struct.unpack_from(order + "I", head, at)
        if kind == PT_INTERP:
            (offset,) = struct.unpack_from(order + ("Q" if wide else "I"), head, at + (8 if wide else 4))
            return os.fsdecode(head[offset : offset + 256].split(b"\0", 1)[0])
    return ""
