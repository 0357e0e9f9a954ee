"""Files that were downloaded or built and are kept in the cache: how many, how large, and taking them out.

What environments hold is in the store; these save fetching again, also where there is no network.
"""

import os

from msgspec import Struct

from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.presence import is_held

__all__ = ["Downloads", "read_downloads", "sweep_downloads"]

FOLDERS = ("wheels", "built", "addresses", "archives")
BUILDS = "builds"


class Downloads(Struct, frozen=True, kw_only=True):
    """What the cache holds of files."""

    files: int
    size_bytes: int


def read_downloads(locations: Locations) -> Downloads:
    """Return what is kept, parts of transfers and builds that were interrupted too."""
    sizes = []
    for top in (*FOLDERS, BUILDS):
        for above, _, names in os.walk(join(locations.cache, top)):
            sizes += [os.lstat(join(above, name)).st_size for name in names if not name.endswith(".lock")]
    return Downloads(files=len(sizes), size_bytes=sum(sizes))


def sweep_downloads(locations: Locations) -> None:
    """Take all of it out; what is fetched at that moment is fetched again, and a build at work is left alone."""
    for top in FOLDERS:
        remove_tree(join(locations.cache, top))
    builds = join(locations.cache, BUILDS)
    for name in os.listdir(builds) if os.path.isdir(builds) else ():
        if not is_held(join(builds, f"{name}.lock")) and not name.endswith(".lock"):
            remove_tree(join(builds, name))
