"""The folders beside PATH in which programs are usually put: the system's, and a person's own."""

import glob
import os

from .host import Host
from .places import Place, inside, join

__all__ = ["SHARED_PREFIXES", "absent_volume", "usual_folders"]

SYSTEM = ("/usr/local/bin", "/usr/bin", "/opt/*/bin", "/opt/*/*/bin")
BELOW_HOME = (".local/bin", "bin", ".*/versions/*/bin", "opt/*/bin", ".local/opt/*/bin")


def usual_folders(host: Host) -> tuple[Place, ...]:
    """Return those that are on this machine, in that order."""
    patterns = [*SYSTEM, *(join(glob.escape(host.home), below) for below in BELOW_HOME)]
    return tuple(Place(one) for pattern in patterns for one in sorted(glob.glob(pattern)) if os.path.isdir(one))


# Places that others share: a text that names one seldom means the interpreter.
SHARED_PREFIXES = ("/", "/usr", "/usr/local", "/opt")

# Where volumes appear, and how many names below stand for one: `/media/USER/VOLUME`.
MOUNT_FOLDERS = {"/mnt": 1, "/media": 2, "/run/media": 2, "/Volumes": 1}


def absent_volume(place: str) -> str:
    """Return the volume that a place is on where that is not mounted, seen by a mount point that is gone or empty."""
    for folder, depth in MOUNT_FOLDERS.items():
        if inside(place, folder):
            parts = place.removeprefix(folder).strip("/").split("/")[:depth]
            volume = join(folder, *parts)
            if parts[0] and (not os.path.isdir(volume) or not os.listdir(volume)):
                return volume
    return ""
