"""Giving an ELF file another run path: in place where it fits, else by a longer string table at the file's end."""

import struct

from .elf import DT_RPATH, DT_RUNPATH, DT_STRSZ, DT_STRTAB, PT_LOAD, PT_NOTE, ElfFile, ElfString, other_string_offsets

__all__ = ["ElfUnchangeable", "with_run_paths"]

# Segments are mapped by pages; 4096 is the least of the machines that are supported.
PAGE_BYTES = 4096


class ElfUnchangeable(Exception):
    """The file is built so that its run path cannot be exchanged; says why."""


def with_run_paths(content: bytes, elf: ElfFile, wanted: dict[str, str]) -> bytes:
    """Return the content with each run path that is a key of `wanted` exchanged for its value.

    Raises ElfUnchangeable where another string of the file is a part of one that has to be exchanged, or
    where it must grow and has no header to spare.
    """
    changed = bytearray(content)
    todo = [one for one in elf.strings if one.tag in (DT_RPATH, DT_RUNPATH) and one.text in wanted]
    todo = [one for one in todo if wanted[one.text] != one.text]
    growing = []
    for one in todo:
        old, new = one.text.encode("utf-8", "surrogateescape"), wanted[one.text].encode("utf-8", "surrogateescape")
        if len(new) > len(old) or _is_shared(changed, elf, one, len(old)):
            growing.append((one, new))
            continue
        at = elf.strings_at + one.offset
        changed[at : at + len(old)] = new + b"\0" * (len(old) - len(new))
    return bytes(_grown(changed, elf, growing) if growing else changed)


def _is_shared(content: bytearray, elf: ElfFile, one: ElfString, length: int) -> bool:
    """Tell whether another name begins within the string: linkers let one name be the tail of another."""
    inside = range(one.offset, one.offset + length + 1)
    others = [other.offset for other in elf.strings if other is not one and other.tag != one.tag]
    return any(offset in inside for offset in others) or any(
        offset in inside for offset in other_string_offsets(content, elf)
    )


def _grown(content: bytearray, elf: ElfFile, new_texts: list[tuple[ElfString, bytes]]) -> bytearray:
    """Put a longer string table at the end of the file, and a spare header in charge of loading it."""
    order, word = ("<" if elf.little else ">"), ("Q" if elf.wide else "I")
    table = content[elf.strings_at : elf.strings_at + elf.value(DT_STRSZ)]
    offsets = {}
    for one, text in new_texts:
        offsets[one.tag, one.offset] = len(table)
        table += text + b"\0"
    content += b"\0" * (-len(content) % PAGE_BYTES)
    at = len(content)
    address = _free_address(elf) + at % PAGE_BYTES
    content += table
    _spare_header(content, elf, at, address, len(table))
    step = struct.calcsize(f"{order}{word}") * 2
    for number, (tag, value) in enumerate(elf.tags):
        changed = {DT_STRTAB: address, DT_STRSZ: len(table)}.get(tag, offsets.get((tag, value), value))
        struct.pack_into(order + word, content, elf.dynamic_at + number * step + step // 2, changed)
    return content


def _free_address(elf: ElfFile) -> int:
    # Beyond what the last segment may occupy in memory, which can be more than it has in the file.
    end = max(address + size for _, address, size in elf.loads)
    return (end + (1 << 24)) // PAGE_BYTES * PAGE_BYTES


def _spare_header(content: bytearray, elf: ElfFile, at: int, address: int, size: int) -> None:
    order = "<" if elf.little else ">"
    (start,) = struct.unpack_from(order + ("Q" if elf.wide else "I"), content, 32 if elf.wide else 28)
    step, count = struct.unpack_from(order + "HH", content, 54 if elf.wide else 42)
    kinds = [struct.unpack_from(order + "I", content, start + n * step)[0] for n in range(count)]
    last_load = max(n for n, kind in enumerate(kinds) if kind == PT_LOAD)
    spare = next((n for n in reversed(range(count)) if kinds[n] == PT_NOTE and n > last_load), None)
    if spare is None:
        raise ElfUnchangeable("its run path must grow, and it has no program header to spare")
    if elf.wide:
        header = struct.pack(order + "IIQQQQQQ", PT_LOAD, 4, at, address, address, size, size, PAGE_BYTES)
    else:
        header = struct.pack(order + "IIIIIIII", PT_LOAD, at, address, address, size, size, 4, PAGE_BYTES)
    content[start + spare * step : start + spare * step + step] = header
