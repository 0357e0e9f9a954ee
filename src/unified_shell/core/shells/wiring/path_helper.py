"""macOS's `path_helper`: the lists of directories that `/etc/profile` puts before what a login session inherits.

It reads `/etc/paths`, then each file of `/etc/paths.d` by name, one directory a line, and appends what the
session inherited. So what was in front before a login comes last after it. It could not be run where this
was written; a stand-in of the same order is what the tests start.
"""

import os

from msgspec import Struct

from unified_shell.core.changes.file_steps import kept_bytes
from unified_shell.core.changes.steps import ReplaceFile
from unified_shell.core.errors import Refused
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host, System
from unified_shell.core.machine.locations import Locations, Scope, scratch_root
from unified_shell.core.machine.places import Place, join

from .wiring import Wiring

__all__ = ["ListedDirectory", "listed_directories", "listed_in", "paths_file_steps"]


OWN_LIST = "unified-shell"


class ListedDirectory(Struct, frozen=True, kw_only=True):
    """A directory with the file and line that list it."""

    directory: Place
    file: Place
    line: int


def listed_directories(host: Host) -> tuple[ListedDirectory, ...]:
    """Return what the lists hold, in `path_helper`'s order, each directory once."""
    root = scratch_root(host)
    folder = f"{root}/etc/paths.d"
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        names = []
    found: dict[str, ListedDirectory] = {}
    for file in (f"{root}/etc/paths", *(join(folder, name) for name in names)):
        for number, line in enumerate(_lines(file), 1):
            if line:
                one = ListedDirectory(directory=Place(line), file=Place(file), line=number)
                found.setdefault(line, one)
    return tuple(found.values())


def listed_in(directory: str, host: Host) -> ListedDirectory | None:
    """Return where a directory is listed, or None."""
    return next((one for one in listed_directories(host) if one.directory == directory), None)


def paths_file_steps(wiring: Wiring, host: Host, locations: Locations) -> tuple[ReplaceFile, ...]:
    """Return the step that lists everyone's directories for macOS; none elsewhere, or where the file says so.

    Raises Refused for what such a list cannot hold.
    """
    if host.system is not System.MACOS or locations.scope is not Scope.EVERYONE:
        return ()
    if wiring.variables or any(one.when or one.variable != "PATH" for one in wiring.entries):
        raise Refused(
            "for everyone on macOS only directories on PATH can be wired, without a condition",
            again_without=("--for", "everyone", "--for=everyone"),
            next_step="(for you alone it works)",
        )
    names = [one for path in wiring.search_paths() for one in path.directories]
    wrong = next((one for one in names if "\n" in one), None)
    if wrong is not None:
        raise Refused(f"{wrong!r} cannot stand in a list of directories: its name has a newline")
    path = join(f"{scratch_root(host)}/etc/paths.d", OWN_LIST)
    found = read_file(path)
    before = None if found is None else kept_bytes(found[0])
    after = kept_bytes(b"".join(os.fsencode(one) + b"\n" for one in names)) if names else None
    return () if before == after else (ReplaceFile(path=path, before=before, after=after, derived=True),)


def _lines(file: str) -> list[str]:
    try:
        with open(file, "rb") as opened:
            return [os.fsdecode(line.strip()) for line in opened.read(1 << 20).split(b"\n")]
    except OSError:
        return []
