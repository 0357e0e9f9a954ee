"""Which file the system's loader takes for each library that a program needs: found without running anything.

Source: ld.so(8): DT_RPATH of the object and of what loaded it (void where the object has a DT_RUNPATH), the folders of
LD_LIBRARY_PATH where they are given, DT_RUNPATH, the list /etc/ld.so.cache, /lib and /usr/lib.
"""

import os
import struct
from collections.abc import Mapping, Sequence
from functools import cache

from msgspec import Struct

from unified_shell.core.machine.places import Place, join

from .elf import ElfFile, defined_versions, needed_versions, read_elf

__all__ = ["Lack", "lacking_libraries", "resolve_libraries"]

CACHE_FILE = "/etc/ld.so.cache"
CACHE_MAGIC = b"glibc-ld.so.cache1.1"
LAST_FOLDERS = ("/lib", "/usr/lib", "/lib64", "/usr/lib64", "/usr/local/lib")


class Lack(Struct, frozen=True, kw_only=True):
    """A library that a program needs and the loader will not find, or, with `version`, finds without that version."""

    library: str
    version: str = ""
    needed_by: Place

    def __str__(self) -> str:
        if self.version:
            return f"{self.library} here lacks {self.version}: the program was made for a newer system"
        return f"the library {self.library} is not on this machine"


def lacking_libraries(path: str, library_path: Sequence[str] = ()) -> tuple[Lack, ...]:
    """Return what the loader would miss, so that the program ends before it begins; `library_path` is LD_LIBRARY_PATH."""
    found = resolve_libraries(path, library_path=library_path)
    lacks = [Lack(library=name, needed_by=Place(path)) for name, place in found.items() if place is None]
    for user in (path, *filter(None, found.values())):
        for name, versions in needed_versions(user).items():
            place = found.get(name)
            has = defined_versions(place) if place else frozenset()
            lacks += [
                Lack(library=name, version=one, needed_by=Place(user)) for one in versions if has and one not in has
            ]
    return tuple(lacks)


def resolve_libraries(path: str, *, hidden: str = "", library_path: Sequence[str] = ()) -> dict[str, Place | None]:
    """Return the library files that an executable or extension module needs, with all that those need.

    By name; None where there is none. What lies below `hidden` is treated as if it were not there.
    """
    top = read_elf(path)
    found: dict[str, Place | None] = {}
    if top is not None:
        given = tuple(one for one in library_path if one)
        _follow(path, top, (), found, _Way(hidden, given))
    return found


class _Way(Struct, frozen=True):
    """What the whole search goes by."""

    hidden: str
    given: tuple[str, ...]


def _follow(path: str, elf: ElfFile, inherited: tuple[str, ...], found: dict[str, Place | None], way: _Way) -> None:
    above = (*_expanded(elf.inherited_path, path), *inherited)
    # A DT_RUNPATH voids every DT_RPATH for the object's own needs, not for those of what it loads.
    folders = (*way.given, *_expanded(elf.run_path, path)) if elf.run_path else (*above, *way.given)
    for name in elf.needed:
        if name in found:
            continue
        place = _locate(name, folders, elf, way.hidden)
        found[name] = place
        below = read_elf(place) if place else None
        if place and below is not None:
            _follow(place, below, above, found, way)


def _locate(name: str, folders: tuple[str, ...], elf: ElfFile, hidden: str) -> Place | None:
    if elf.loader and name == os.path.basename(elf.loader) and os.path.exists(elf.loader):
        return Place(elf.loader)
    if "/" in name:
        return Place(name) if _fits(name, elf, hidden) else None
    listed = [path for path in _system_list().get(name, ()) if _fits(path, elf, hidden)]
    for folder in folders:
        path = join(folder, name)
        if _fits(path, elf, hidden):
            return path
    if listed:
        return Place(listed[0])
    return next((join(one, name) for one in LAST_FOLDERS if _fits(join(one, name), elf, hidden)), None)


def _fits(path: str, elf: ElfFile, hidden: str) -> bool:
    if hidden and os.path.realpath(path).startswith(hidden.rstrip("/") + "/"):
        return False
    other = read_elf(path)
    return other is not None and (other.wide, other.machine) == (elf.wide, elf.machine)


def _expanded(folders: tuple[str, ...], path: str) -> tuple[str, ...]:
    origin = os.path.dirname(os.path.realpath(path))
    return tuple(one.replace("${ORIGIN}", origin).replace("$ORIGIN", origin) for one in folders)


@cache
def _system_list() -> Mapping[str, tuple[str, ...]]:
    """Return the system's list of libraries: for each name its files, in the order in which they are tried."""
    try:
        with open(CACHE_FILE, "rb") as file:
            content = file.read()
    except OSError:
        return {}
    start = content.find(CACHE_MAGIC)
    if start < 0:
        return {}
    found: dict[str, tuple[str, ...]] = {}
    (count,) = struct.unpack_from("<I", content, start + 20)
    for number in range(count):
        _, key, value = struct.unpack_from("<iII", content, start + 48 + number * 24)
        name, path = _text(content, start + key), _text(content, start + value)
        found[name] = (*found.get(name, ()), path)
    return found


def _text(content: bytes, at: int) -> str:
    return os.fsdecode(content[at : content.index(b"\0", at)])
