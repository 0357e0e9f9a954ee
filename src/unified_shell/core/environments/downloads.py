"""Files that were downloaded or built and are kept in the cache: how many, how large, and taking them out.

What environments hold is in the store; these save fetching again, also where there is no network.
"""

import os
from dataclasses import dataclass

from unified_shell.core.machine.durable import remove_tree
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join

__all__ = ["Downloads", "read_downloads", "sweep_downloads"]

FOLDERS = ("wheels", "built", "addresses", "archives")


@dataclass(frozen=True, slots=True, kw_only=True)
class Downloads:
    """What the cache holds of files."""

    files: int
    size_bytes: int


def read_downloads(locations: Locations) -> Downloads:
    """Return what is kept, parts of transfers that were broken off too."""
    sizes = []
    for top in FOLDERS:
        for above, _, names in os.walk(join(locations.cache, top)):
            sizes += [os.lstat(join(above, name)).st_size for name in names]
    return Downloads(files=len(sizes), size_bytes=sum(sizes))


def sweep_downloads(locations: Locations) -> None:
    """Take all of it out; what is fetched at that moment is fetched again."""
    for top in FOLDERS:
        remove_tree(join(locations.cache, top))
