"""The folders beside PATH in which programs are usually put: the system's, and a person's own."""

import glob
import os
import re
from collections.abc import Mapping, Sequence

from .host import Host
from .places import Place, inside, join

__all__ = ["SHARED_PREFIXES", "absent_volume", "place_without_spaces", "usual_folders", "volume_of"]

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


# Folders in which machines that several people use let each have one of their own.
SHARED_TOPS = ("/Users/Shared", "/scratch", "/data", "/work", "/srv", "/opt", "/usr/local")


def volume_of(place: str, folders: Mapping[str, int] = MOUNT_FOLDERS) -> str:
    """Return the mount point of the volume that a place is on, mounted or not; empty where it is on none that comes and goes."""
    for folder, depth in folders.items():
        if inside(place, folder):
            parts = place.removeprefix(folder).strip("/").split("/")[:depth]
            if parts[0]:
                return join(folder, *parts)
    return ""


def absent_volume(place: str) -> str:
    """Return the volume that a place is on where that is not mounted, seen by a mount point that is gone or empty; a link is
    followed to where it leads.
    """
    leads_to = os.path.realpath(place)
    volume = volume_of(leads_to)
    return volume if volume and (not os.path.isdir(volume) or not os.listdir(volume)) else ""


def place_without_spaces(user_name: str, tops: Sequence[str] = SHARED_TOPS) -> Place | None:
    """Return a folder for a person's own whose name holds no space, below the first of these that they can write to."""
    for top in tops:
        if os.path.isdir(top) and os.access(top, os.W_OK) and not re.search(r"\s", top + user_name):
            return join(top, f"ush-{user_name}")
    return None
