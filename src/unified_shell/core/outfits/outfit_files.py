"""Finding and reading the outfit that is meant: a file, or the one of this folder."""

import os

from unified_shell.core.errors import CouldNot, os_error_text
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join, shown
from unified_shell.core.next_steps import ush

from .outfit import Outfit
from .outfit_reading import parse_outfit

__all__ = ["OUTFIT_FILE", "read_outfit"]

OUTFIT_FILE = "outfit.toml"


def read_outfit(file: str, host: Host) -> tuple[Place, Outfit]:
    """Return the outfit in a file, or in a folder's `outfit.toml`, with its place; raises CouldNot where there is none, and
    DescriptionBroken with every mistake.
    """
    place = join(host.working_directory, os.path.expanduser(file or OUTFIT_FILE))
    if os.path.isdir(place):
        place = join(place, OUTFIT_FILE)
    try:
        content = read_file(place)
    except OSError as error:
        raise CouldNot(f"{shown(place, host.home)} cannot be read: {os_error_text(error)}") from error
    if content is None:
        raise CouldNot(
            f"there is no outfit {shown(place, host.home)}", next_step=ush("outfit", "new", why="or name its file")
        )
    return Place(place), parse_outfit(content[0], shown(place, host.home))
