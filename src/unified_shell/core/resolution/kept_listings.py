"""What the solver needs of a page, kept for a target: of thousands of files, the best one of each version."""

import msgspec

from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.places import Place, join

from .questions import Listing

__all__ = ["keep_listing", "kept_listing"]

FORMAT = "2"


def kept_listing(cache: str, key: str, target: str) -> Listing | None:
    """Return what was made of the page with that key for a target, or None."""
    try:
        with open(_place(cache, key, target), "rb") as file:
            return msgspec.msgpack.decode(file.read(), type=Listing)
    except (OSError, msgspec.MsgspecError):
        return None


def keep_listing(cache: str, key: str, target: str, listing: Listing) -> None:
    """Keep it; a cache that cannot be written is done without."""
    write_cached(_place(cache, key, target), msgspec.msgpack.encode(listing))


def _place(cache: str, key: str, target: str) -> Place:
    return join(cache, "listings", digest_of_bytes(f"{FORMAT}\0{key}\0{target}".encode())[:32])
