"""Looking ahead at what distributions will bring, before they are fetched: in the store, the cache, or their end."""

import os
import urllib.parse
from collections.abc import Iterator, Mapping, Sequence
from typing import TypeVar

import msgspec
from msgspec import Struct, field

from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.distributions.wheel_preview import Brought, MemberFacts, brought_by, brought_by_open_wheel
from unified_shell.core.distributions.wheels import read_stored
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.errors import UshError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.file_cache import FileCache
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.store.contents import Store
from unified_shell.core.transfers.addresses import place_of_address
from unified_shell.core.transfers.ranges import RangesRefused, RemoteFile

__all__ = ["NamesAhead", "preview_wheels", "seen_ahead"]

FORMAT = "5"
# Each waits for a server and computes nothing.
LOOKS_AT_ONCE = 24
ManagedInterpreter = TypeVar("ManagedInterpreter")


def preview_wheels(
    distributions: Sequence[Distribution],
    files: Mapping[NormalizedName, IndexFile],
    client: IndexClient,
    locations: Locations,
) -> dict[NormalizedName, Brought]:
    """Return what each brings, as far as it can be told without fetching or building it; `files` by project.

    It is what the wheel says before its hash was checked: good for telling, and for nothing else. A server that gives
    whole files only is not asked again.
    """
    looking = _Looking(client=client, locations=locations)
    answers = map_at_once(lambda one: looking.at(one, files[one.name].address), distributions, workers=LOOKS_AT_ONCE)
    return {one.name: found for one, found in zip(distributions, answers, strict=True) if found is not None}


class NamesAhead(Struct, frozen=True, kw_only=True):
    """Of what a wheel brings, the names by which somebody may look for it."""

    project: str
    commands: tuple[str, ...]
    imports: tuple[str, ...]


def seen_ahead(locations: Locations) -> Iterator[NamesAhead]:
    """Yield what was kept of wheels that were looked into, fetched or not."""
    top = join(locations.cache, "brought")
    for name in sorted(os.listdir(top)) if os.path.isdir(top) else ():
        if name.startswith(f"{FORMAT}-") and (found := _read_kept(join(top, name), NamesAhead)):
            yield found


class _Looking(Struct):
    client: IndexClient
    locations: Locations
    _whole_only: set[str] = field(default_factory=set)

    def at(self, one: Distribution, address: str) -> Brought | None:
        """Return what one brings; what was seen before is kept, apart where no hash was checked."""
        if is_source_name(one.wheel):
            return None
        place = FileCache(self.locations.cache).preview(FORMAT, one.sha256)
        if found := _read_kept(place, Brought):
            return found
        try:
            if found := _stored(one, self.locations) or _fetched(one, address, self.locations):
                _keep(place, one, found)
                return found
            place = FileCache(self.locations.cache).preview(f"{FORMAT}-unchecked", one.sha256)
            if found := _read_kept(place, Brought):
                return found
            if found := self._at_its_end(one, address):
                _keep(place, one, found)
        except (UshError, OSError):
            return None
        return found

    def _at_its_end(self, one: Distribution, address: str) -> Brought | None:
        server = urllib.parse.urlsplit(address).netloc
        if server in self._whole_only:
            return None
        try:
            return brought_by_open_wheel(RemoteFile(self.client.fetcher, address), one.name, one.wheel)
        except RangesRefused:
            self._whole_only.add(server)
            return None


def _read_kept(place: str, form: type[ManagedInterpreter]) -> ManagedInterpreter | None:
    try:
        with open(place, "rb") as file:
            return msgspec.msgpack.decode(file.read(), type=form)
    except (OSError, msgspec.MsgspecError):
        return None


def _keep(place: str, one: Distribution, found: Brought) -> None:
    if one.sha256:
        write_cached(place, msgspec.msgpack.encode(found))


def _stored(one: Distribution, locations: Locations) -> Brought | None:
    content = Store(locations.data).read(one.sha256) if one.sha256 else None
    if content is None:
        return None
    rows = [MemberFacts(name=one.name, size_bytes=one.size_bytes, sha256=one.sha256) for one in content.files]
    return brought_by(one.name, one.wheel, rows, lambda name: read_stored(content, name))


def _fetched(one: Distribution, address: str, locations: Locations) -> Brought | None:
    fetched = FileCache(locations.cache).file(one.sha256, one.wheel)
    place = fetched if os.path.exists(fetched) else place_of_address(address)
    if place is None:
        return None
    with open(place, "rb") as opened:
        return brought_by_open_wheel(opened, one.name, one.wheel)
