"""What the store holds, which environments use it, what was modified; taking out what nothing uses."""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.environments.model.contents import read_contents
from unified_shell.core.environments.model.registry import list_environments
from unified_shell.core.errors import CouldNot, UshError
from unified_shell.core.machine.files.digests import digest_of_file, parse_sha256
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.store.contents import Content, Store, damaged_files

__all__ = ["StoreEntry", "read_store", "sweep_store", "unlike_stored"]


class StoreEntry(Struct, frozen=True, kw_only=True):
    """One content of the store. `used_by` are environments that hold it now, `kept` says that undo may want it;
    `damaged` are files that were written to, or are gone, since it was stored.
    """

    sha256: str
    title: str
    size_bytes: int
    used_by: tuple[str, ...]
    kept: bool
    damaged: tuple[str, ...] = ()

    @property
    def is_unused(self) -> bool:
        """Tell whether no longer needed."""
        return not self.used_by and not self.kept


def read_store(locations: Locations, *, thorough: bool = False) -> tuple[StoreEntry, ...]:
    """Return what the store holds, the largest first; `thorough` compares contents, not size and time alone."""
    store = Store(locations.data)
    users: dict[str, list[str]] = {}
    for environment in list_environments(locations):
        for one in environment.contents.distributions:
            users.setdefault(one.sha256, []).append(environment.name)
    kept = _kept(locations)
    entries = []
    names = sorted(os.listdir(store.top)) if os.path.isdir(store.top) else ()
    for sha256 in filter(None, map(parse_sha256, names)):
        content = store.read(sha256)
        entries.append(
            StoreEntry(
                sha256=sha256,
                title=_title(content),
                size_bytes=_size(join(store.top, sha256)),
                used_by=tuple(users.get(sha256, ())),
                kept=sha256 in kept,
                damaged=unlike_stored(content, thorough=thorough),
            )
        )
    return tuple(sorted(entries, key=lambda one: (-one.size_bytes, one.title)))


def sweep_store(entries: Sequence[StoreEntry], locations: Locations) -> int:
    """Take out entries and return the bytes that this frees; raises CouldNot where one cannot be taken out."""
    store = Store(locations.data)
    for one in entries:
        place = join(store.top, one.sha256)
        gone = join(locations.staging, f"swept-{one.sha256}")
        try:
            # Out of sight in one go: whoever looks at the same moment finds it whole or not at all.
            os.makedirs(locations.staging, exist_ok=True)
            os.rename(place, gone)
            remove_tree(gone)
        except OSError as error:
            raise CouldNot(f"{one.title} cannot be removed: {(error.strerror or '').lower()}", where=place) from error
    return sum(one.size_bytes for one in entries)


def _kept(locations: Locations) -> frozenset[str]:
    """Return the contents of every edition and retired tree: undo may bring them back, and links to them stand."""
    found: set[str] = set()
    # Where no links can be made, an edition in force is in its link's place.
    tops: list[str] = [join(locations.data, "retired"), join(locations.data, "environments")]
    editions = join(locations.data, "editions")
    tops += [join(editions, name) for name in os.listdir(editions)] if os.path.isdir(editions) else []
    for top in tops:
        for name in os.listdir(top) if os.path.isdir(top) else ():
            try:
                contents = read_contents(join(top, name))
            except UshError:
                continue
            if contents is not None:
                found |= {one.sha256 for one in contents.distributions}
    return frozenset(found)


def _title(content: Content | None) -> str:
    for file in content.files if content is not None else ():
        folder, slash, name = file.name.partition("/")
        if slash and name == "METADATA" and folder.endswith(".dist-info"):
            return folder.removesuffix(".dist-info").replace("-", " ")
    return "of an older version of ush"


def _size(top: str) -> int:
    found = 0
    for folder, _, files in os.walk(top):
        found += sum(os.lstat(join(folder, one)).st_size for one in files)
    return found


def unlike_stored(content: Content | None, *, thorough: bool) -> tuple[str, ...]:
    """Return the files of a content that are not as they were stored, by size and time, or in full."""
    if content is None:
        return ()
    damaged = damaged_files(content.folder, content.files)
    if damaged or not thorough:
        return damaged
    return tuple(one.name for one in content.files if digest_of_file(content.place(one.name)) != one.sha256)
