"""Where an interpreter is unpacked and built; a build that was interrupted goes on there the next time."""

import contextlib
import os
import re
import tempfile
from collections.abc import Callable, Iterator

from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.files.durable import remove_tree
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, to_json_text
from unified_shell.core.machine.processes.presence import hold

__all__ = ["build_key", "kept_workplace", "mark_done", "passing_workplace", "was_done"]

# What makefiles can bear in the name of a folder.
PLAIN = re.compile(r"[A-Za-z0-9._/+-]+")


@contextlib.contextmanager
def passing_workplace(staging: Place) -> Iterator[Place]:
    """Give a folder in staging; where its name holds what makefiles cannot bear, one of the system's for the time."""
    folder = join(staging, "work")
    if PLAIN.fullmatch(folder):
        os.mkdir(folder)
    else:
        folder = Place(tempfile.mkdtemp(prefix="ush-build-"))
    try:
        yield folder
    finally:
        remove_tree(folder)


@contextlib.contextmanager
def kept_workplace(key: str, staging: Place, locations: Locations, tell: Callable[[str], None]) -> Iterator[Place]:
    """Give the folder of one build, with what an interrupted one left there; it goes with the build's end or fault.

    Of two that build the same at once, the second waits; `tell` is told so, and of what an interrupt leaves. Where the cache's own name holds what makefiles cannot
    bear, the folder is a passing one.
    """
    folder = join(locations.cache, "builds", key)
    if not PLAIN.fullmatch(folder):
        with passing_workplace(staging) as passing:
            yield passing
        return
    release = hold(f"{folder}.lock", lambda: tell("waiting for another ush that builds the same"))
    try:
        os.makedirs(folder, exist_ok=True)
        try:
            yield folder
        except KeyboardInterrupt:
            tell("what was built is kept; the same command goes on with it")
            raise
        except Exception:
            remove_tree(folder)
            raise
        remove_tree(folder)
    finally:
        release()


def build_key(*given: object) -> str:
    """Return the name of a build's folder: another one for each thing that makes the build another one."""
    return digest_of_bytes(to_json_text(given).encode("ascii"))[:16]


def mark_done(work: Place, step: str) -> None:
    """Note that a step of a build came to its end."""
    with open(join(work, f"{step}.done"), "wb"):
        pass


def was_done(work: Place, step: str) -> bool:
    """Tell whether a step came to its end, this time or in a build that was interrupted later."""
    return os.path.isfile(join(work, f"{step}.done"))
