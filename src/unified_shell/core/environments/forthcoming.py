"""Looking ahead at what distributions will bring, before they are fetched: in the store, the cache, or their end."""

import contextlib
import os
from collections.abc import Mapping, Sequence

import msgspec
from packaging.utils import NormalizedName

from unified_shell.core.distributions.brought import Brought, brought_by, brought_by_open_wheel
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.distributions.wheels import read_stored
from unified_shell.core.errors import UshError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.cached_files import write_cached
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.machine.pool import map_at_once
from unified_shell.core.store.contents import Store
from unified_shell.core.transfers.addresses import place_of_address
from unified_shell.core.transfers.ranges import RangesRefused, RemoteFile

from .contents import Distribution

__all__ = ["look_ahead"]

FORMAT = "1"


def look_ahead(
    distributions: Sequence[Distribution],
    files: Mapping[NormalizedName, IndexFile],
    client: IndexClient,
    locations: Locations,
) -> dict[NormalizedName, Brought]:
    """Return what each brings, as far as it can be told without fetching or building it; `files` by project.

    It is what the wheel says before its hash was checked: good for telling, and for nothing else.
    """

    def told(one: Distribution) -> Brought | None:
        if is_source_name(one.wheel):
            return None
        kept = join(locations.cache, "brought", f"{FORMAT}-{one.sha256}")
        with contextlib.suppress(OSError, msgspec.MsgspecError), open(kept, "rb") as file:
            return msgspec.msgpack.decode(file.read(), type=Brought)
        try:
            found = _stored(one, locations) or _unfetched(one, files[one.name], client, locations)
        except (UshError, OSError, RangesRefused):
            return None
        if one.sha256:
            write_cached(kept, msgspec.msgpack.encode(found))
        return found

    answers = zip(distributions, map_at_once(told, distributions), strict=True)
    return {one.name: found for one, found in answers if found is not None}


def _stored(one: Distribution, locations: Locations) -> Brought | None:
    content = Store(locations.data).read(one.sha256) if one.sha256 else None
    if content is None:
        return None
    rows = [(file.name, file.size_bytes) for file in content.files]
    return brought_by(one.name, one.wheel, rows, lambda name: read_stored(content, name))


def _unfetched(one: Distribution, file: IndexFile, client: IndexClient, locations: Locations) -> Brought:
    fetched = join(locations.cache, "wheels", one.sha256, one.wheel)
    place = fetched if os.path.exists(fetched) else place_of_address(file.address)
    if place is None:
        return brought_by_open_wheel(RemoteFile(client.fetcher, file.address), one.name, one.wheel)
    with open(place, "rb") as opened:
        return brought_by_open_wheel(opened, one.name, one.wheel)
