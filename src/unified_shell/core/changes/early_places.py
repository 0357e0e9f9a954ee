"""A prepared tree at its place while what stands on it is prepared: an interpreter compiles, and starts, where it will be.

Nothing may lead to it before the switch, so it goes back into staging when the preparation ends. Where that is broken off, a
note in staging tells what is to be swept; the tree's identity keeps another one of that name safe.
"""

import contextlib
import os
from collections.abc import Iterator

from unified_shell.core.machine.files.durable import FileMode, read_file, remove_tree, replace_file
from unified_shell.core.machine.places import Place, from_json_text, join, to_json_text

from .tree_steps import PlaceTree

__all__ = ["standing_early", "sweep_staging"]

NOTES = "standing-early-"


@contextlib.contextmanager
def standing_early(step: PlaceTree, staging: Place, *, unlisted: str) -> Iterator[None]:
    """Have the tree of a step at its place for a block; nothing may stand there. `staging` is the change's own folder, and
    `unlisted` the file at the tree's top by which others would find it: it is kept beside it meanwhile.
    """
    aside, listed = f"{step.staged}.unlisted", join(step.staged, unlisted)
    note = join(staging, f"{NOTES}{os.path.basename(step.target)}")
    os.rename(listed, aside)
    told = {"place": step.target, "identity": _identity(step.staged)}
    replace_file(note, to_json_text(told).encode("ascii"), FileMode(), beside=f"{note}.new")
    os.makedirs(os.path.dirname(step.target), exist_ok=True)
    os.rename(step.staged, step.target)
    try:
        yield
    finally:
        os.rename(step.target, step.staged)
        os.rename(aside, listed)
        os.unlink(note)


def sweep_staging(staging: str) -> None:
    """Remove what was only prepared: what stands early, then the folder itself."""
    for place, identity in _standing(staging):
        with contextlib.suppress(OSError):
            if _identity(place) == identity:
                remove_tree(place)
    remove_tree(staging)


def _standing(staging: str) -> Iterator[tuple[str, str]]:
    try:
        names = [one for one in os.listdir(staging) if one.startswith(NOTES)]
    except OSError:
        return
    for name in names:
        content = read_file(join(staging, name))
        with contextlib.suppress(ValueError):
            told = from_json_text(content[0]) if content is not None else None
            if isinstance(told, dict):
                yield str(told.get("place", "")), str(told.get("identity", ""))


def _identity(place: str) -> str:
    facts = os.lstat(place)
    return f"{facts.st_dev} {facts.st_ino}"
