"""What an ELF file needs and where it looks for it, read from its program headers.

Source: System V ABI, chapters 4 and 5; the GNU extensions for versions of needed libraries. Program headers
are used and not sections, since stripped and separated files have none that can be trusted.
"""

import contextlib
import os
import struct
from collections.abc import Iterator

from msgspec import Struct

from unified_shell.core.machine.files.reading_at import read_at

__all__ = [
    "ElfFile",
    "ElfString",
    "bytes_cut_off",
    "defined_versions",
    "needed_versions",
    "other_string_offsets",
    "parse_elf",
    "read_elf",
]

PT_LOAD, PT_DYNAMIC, PT_INTERP, PT_NOTE = 1, 2, 3, 4
DT_NEEDED, DT_HASH, DT_STRTAB, DT_SYMTAB, DT_STRSZ, DT_SONAME, DT_RPATH, DT_RUNPATH = 1, 4, 5, 6, 10, 14, 15, 29
DT_GNU_HASH, DT_VERNEED, DT_VERNEEDNUM = 0x6FFFFEF5, 0x6FFFFFFE, 0x6FFFFFFF
DT_VERDEF, DT_VERDEFNUM = 0x6FFFFFFC, 0x6FFFFFFD
# System V ABI, symbol versioning: a version that may be missing.
VER_FLG_WEAK = 2
SYMBOL_BYTES = {True: 24, False: 16}


class ElfString(Struct, frozen=True, kw_only=True):
    """A string of the dynamic section: its tag, text, and offset into the string table."""

    tag: int
    text: str
    offset: int


class ElfFile(Struct, frozen=True, kw_only=True):
    """The facts of a file: word size, machine number, loader, and the strings of its dynamic section.

    `dynamic_at` and `strings_at` are offsets into the file (0 where it has no dynamic section), `tags` the
    entries of the dynamic section as (tag, value) in order, `loads` its segments as (offset, address, size).
    """

    wide: bool
    little: bool
    machine: int
    loader: str
    strings: tuple[ElfString, ...]
    tags: tuple[tuple[int, int], ...]
    loads: tuple[tuple[int, int, int], ...]
    dynamic_at: int
    strings_at: int

    def texts(self, tag: int) -> tuple[str, ...]:
        """Return the strings of a tag."""
        return tuple(one.text for one in self.strings if one.tag == tag)

    @property
    def needed(self) -> tuple[str, ...]:
        """Names of the libraries it needs."""
        return self.texts(DT_NEEDED)

    @property
    def run_path(self) -> tuple[str, ...]:
        """Folders of DT_RUNPATH, searched for its own needs only."""
        return _folders(self.texts(DT_RUNPATH))

    @property
    def inherited_path(self) -> tuple[str, ...]:
        """Folders of DT_RPATH, searched for the needs of what it loads too; void where DT_RUNPATH is there."""
        return () if self.texts(DT_RUNPATH) else _folders(self.texts(DT_RPATH))

    def value(self, tag: int) -> int:
        """Return the value of a tag of the dynamic section, 0 where it has none."""
        return next((value for one, value in self.tags if one == tag), 0)

    def file_offset(self, address: int) -> int:
        """Return where in the file an address of the program is; raises ValueError for one that is nowhere."""
        for offset, start, size in self.loads:
            if start <= address < start + size:
                return offset + address - start
        raise ValueError(f"the address {address:#x} is in no segment")


def read_elf(path: str) -> ElfFile | None:
    """Read a file; None for one that is no ELF file, or is damaged or cannot be read."""
    try:
        with open(path, "rb") as file:
            if file.read(4) != b"\x7fELF":
                return None
            return parse_elf(_Pages(file.fileno()))
    except (OSError, ValueError, struct.error):
        return None


def bytes_cut_off(path: str) -> int:
    """Return how many bytes of a file's loaded segments are missing at its end; 0 for a whole one, or no ELF file."""
    try:
        with open(path, "rb") as file:
            head = _Pages(file.fileno())
            if head[0:4] != b"\x7fELF":
                return 0
            headers = _headers(head, wide=head[4:5] == b"\x02", order="<" if head[5:6] != b"\x02" else ">")
            end = max((at + size for kind, at, _, size in headers if kind == PT_LOAD), default=0)
            return max(0, end - os.path.getsize(path))
    except (OSError, struct.error):
        return 0


def parse_elf(content: "bytes | bytearray | _Pages") -> ElfFile:
    """Return the facts of a file's content; raises ValueError or struct.error for one that is damaged."""
    wide, little = content[4:5] == b"\x02", content[5:6] != b"\x02"
    order = "<" if little else ">"
    (machine,) = struct.unpack(order + "H", content[18:20])
    headers = list(_headers(content, wide=wide, order=order))
    loads = tuple((offset, address, size) for kind, offset, address, size in headers if kind == PT_LOAD)
    loader = next(
        (_text(bytes(content[at : at + min(n, 4096)]), 0) for kind, at, _, n in headers if kind == PT_INTERP), ""
    )
    dynamic = next(((at, size) for kind, at, _, size in headers if kind == PT_DYNAMIC), (0, 0))
    section = bytes(content[dynamic[0] : dynamic[0] + dynamic[1]])
    tags = tuple(_tags(section, wide=wide, order=order)) if dynamic[0] else ()
    bare = ElfFile(
        wide=wide,
        little=little,
        machine=machine,
        loader=loader,
        strings=(),
        tags=tags,
        loads=loads,
        dynamic_at=dynamic[0],
        strings_at=0,
    )
    if not bare.value(DT_STRTAB):
        return bare
    strings_at = bare.file_offset(bare.value(DT_STRTAB))
    table = bytes(content[strings_at : strings_at + bare.value(DT_STRSZ)])
    named = (DT_NEEDED, DT_SONAME, DT_RPATH, DT_RUNPATH)
    strings = tuple(ElfString(tag=t, text=_text(table, value), offset=value) for t, value in tags if t in named)
    fields = {name: getattr(bare, name) for name in ElfFile.__struct_fields__}
    return ElfFile(**{**fields, "strings": strings, "strings_at": strings_at})


def needed_versions(path: str) -> dict[str, tuple[str, ...]]:
    """Return the versions that a file needs of each library, such as `GLIBC_2.38` of `libc.so.6`; weak ones are left out.

    Source: Linux Standard Base, symbol versioning. Empty for a file that is damaged or has none.
    """
    found: dict[str, tuple[str, ...]] = {}
    with _opened(path) as opened:
        if opened is None:
            return found
        pages, elf, table = opened
        order, at = ("<" if elf.little else ">"), elf.file_offset(elf.value(DT_VERNEED))
        for _ in range(elf.value(DT_VERNEEDNUM)):
            _, count, file, aux, following = struct.unpack(order + "HHIII", pages[at : at + 16])
            inner, names = at + aux, []
            for _ in range(count):
                _, flags, _, name, after = struct.unpack(order + "IHHII", pages[inner : inner + 16])
                names += [] if flags & VER_FLG_WEAK else [_text(table, name)]
                inner += after
            found[_text(table, file)] = tuple(names)
            at += following
    return found


def defined_versions(path: str) -> frozenset[str]:
    """Return the versions that a library has; none for one that has none, which then fits all."""
    names = []
    with _opened(path, tag=DT_VERDEF) as opened:
        if opened is None:
            return frozenset()
        pages, elf, table = opened
        order, at = ("<" if elf.little else ">"), elf.file_offset(elf.value(DT_VERDEF))
        for _ in range(elf.value(DT_VERDEFNUM)):
            _, _, _, _, _, aux, following = struct.unpack(order + "HHHHIII", pages[at : at + 20])
            (name,) = struct.unpack(order + "I", pages[at + aux : at + aux + 4])
            names.append(_text(table, name))
            at += following
    return frozenset(names)


@contextlib.contextmanager
def _opened(path: str, tag: int = DT_VERNEED) -> "Iterator[tuple[_Pages, ElfFile, bytes] | None]":
    """Open a file that has a table of versions, with its strings; None for another, and nothing is raised within."""
    try:
        file = open(path, "rb")  # noqa: SIM115 - closed below
    except OSError:
        yield None
        return
    with file, contextlib.suppress(ValueError, struct.error, OSError):
        pages = _Pages(file.fileno())
        elf = parse_elf(pages) if pages[0:4] == b"\x7fELF" else None
        if elf is None or not elf.value(tag):
            yield None
            return
        yield pages, elf, pages[elf.strings_at : elf.strings_at + elf.value(DT_STRSZ)]


def other_string_offsets(content: bytes | bytearray, elf: ElfFile) -> Iterator[int]:
    """Yield the offsets into the string table that symbols and versions use, beside the dynamic section's own."""
    order, symbols = ("<" if elf.little else ">"), elf.value(DT_SYMTAB)
    if symbols:
        at, size = elf.file_offset(symbols), SYMBOL_BYTES[elf.wide]
        for number in range(_symbol_count(content, elf)):
            yield struct.unpack_from(order + "I", content, at + number * size)[0]
    if elf.value(DT_VERNEED):
        at = elf.file_offset(elf.value(DT_VERNEED))
        for _ in range(elf.value(DT_VERNEEDNUM)):
            _, count, file, aux, following = struct.unpack_from(order + "HHIII", content, at)
            yield file
            inner = at + aux
            for _ in range(count):
                _, _, _, name, after = struct.unpack_from(order + "IHHII", content, inner)
                yield name
                inner += after
            at += following


def _symbol_count(content: bytes | bytearray, elf: ElfFile) -> int:
    order = "<" if elf.little else ">"
    if elf.value(DT_HASH):
        return int(struct.unpack_from(order + "II", content, elf.file_offset(elf.value(DT_HASH)))[1])
    if not elf.value(DT_GNU_HASH):
        return 0
    at = elf.file_offset(elf.value(DT_GNU_HASH))
    buckets, first, bloom, _ = struct.unpack_from(order + "IIII", content, at)
    at += 16 + bloom * (8 if elf.wide else 4)
    last = max(struct.unpack_from(f"{order}{buckets}I", content, at), default=0)
    if last < first:
        return int(first)
    chains = at + 4 * buckets
    while not struct.unpack_from(order + "I", content, chains + 4 * (last - first))[0] & 1:
        last += 1
    return int(last) + 1


def _headers(content: "bytes | bytearray | _Pages", *, wide: bool, order: str) -> Iterator[tuple[int, int, int, int]]:
    """Yield (kind, offset in the file, address, size in the file) of each program header."""
    at, size = (32, 54) if wide else (28, 42)
    (start,) = struct.unpack(order + ("Q" if wide else "I"), content[at : at + (8 if wide else 4)])
    step, count = struct.unpack(order + "HH", content[size : size + 4])
    for number in range(count):
        one = content[start + number * step : start + number * step + step]
        if wide:
            kind, _, offset, address, _, length = struct.unpack_from(order + "IIQQQQ", one)
        else:
            kind, offset, address, _, length = struct.unpack_from(order + "IIIII", one)
        yield kind, offset, address, length


def _tags(section: bytes, *, wide: bool, order: str) -> Iterator[tuple[int, int]]:
    form = order + ("qQ" if wide else "iI")
    step = struct.calcsize(form)
    for at in range(0, len(section) - step + 1, step):
        tag, value = struct.unpack_from(form, section, at)
        if tag == 0:
            return
        yield tag, value


def _text(table: bytes, at: int) -> str:
    end = table.find(b"\0", at)
    return os.fsdecode(table[at : end if end >= 0 else len(table)])


def _folders(texts: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(part for text in texts for part in text.split(":") if part)


class _Pages:
    """A file that is read where it is looked at; libraries are large, and little of them matters here."""

    def __init__(self, descriptor: int) -> None:
        self._descriptor = descriptor

    def __getitem__(self, part: slice) -> bytes:
        return read_at(self._descriptor, max(part.stop - part.start, 0), part.start)
