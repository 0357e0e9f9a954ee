"""What an executable file is, read from its first bytes: never by running it.

ELF by the System V ABI, chapters 4 and 5: identification, program headers, PT_INTERP.
"""

import os
import stat
import struct
from dataclasses import dataclass
from enum import Enum

__all__ = ["Executable", "FileKind", "is_executable_file", "parse_executable", "read_executable"]

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
PT_INTERP = 3


class FileKind(Enum):
    """What the first bytes make of a file."""

    ELF = "program"
    SCRIPT = "script"
    EMPTY = "empty file"
    TEXT = "text without a first line that names an interpreter"
    OTHER = "unknown format"
    DIRECTORY = "directory"
    ABSENT = "absent"
    UNREADABLE = "unreadable"


@dataclass(frozen=True, slots=True, kw_only=True)
class Executable:
    """The facts; `interpreter` is a script's first word or a program's loader."""

    kind: FileKind
    word_size_bits: int = 0
    architecture: str = ""
    interpreter: str = ""


def is_executable_file(path: str) -> bool:
    """Tell whether the path is a file, through links, that this user may execute."""
    try:
        mode = os.stat(path).st_mode
    except (OSError, ValueError):
        return False
    return stat.S_ISREG(mode) and os.access(path, os.X_OK)


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
    if head.startswith(b"#!"):
        words = head[2:].split(b"\n", 1)[0].split()
        return Executable(kind=FileKind.SCRIPT, interpreter=os.fsdecode(words[0]) if words else "")
    return Executable(kind=FileKind.OTHER if b"\0" in head else FileKind.TEXT)


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
