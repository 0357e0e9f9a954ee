"""The folders beside PATH in which programs are usually put: the system's, and a person's own."""

import glob
import os

from .host import Host
from .places import Place, join

__all__ = ["SHARED_PREFIXES", "usual_folders"]

SYSTEM = ("/usr/local/bin", "/usr/bin", "/opt/*/bin", "/opt/*/*/bin")
BELOW_HOME = (".local/bin", "bin", ".*/versions/*/bin", "opt/*/bin", ".local/opt/*/bin")


def usual_folders(host: Host) -> tuple[Place, ...]:
    """Return those that are on this machine, in that order."""
    patterns = [*SYSTEM, *(join(glob.escape(host.home), below) for below in BELOW_HOME)]
    return tuple(Place(one) for pattern in patterns for one in sorted(glob.glob(pattern)) if os.path.isdir(one))


# Places that others share: a text that names one seldom means the interpreter.
SHARED_PREFIXES = ("/", "/usr", "/usr/local", "/opt")
