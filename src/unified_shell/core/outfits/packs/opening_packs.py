"""Opening a pack: each file as its list says, for this kind of machine, before anything in it is believed."""

import os

import msgspec
from msgspec import Struct

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.errors import CouldNot, HashDiffers, UsageError
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.files.durable import read_file, remove_tree
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

from .packing import MANIFEST

__all__ = ["OpenedPack", "open_pack"]


class OpenedPack(Struct, frozen=True, kw_only=True):
    """A pack that was found whole: its folder, the outfit's file, and the interpreter's archive, empty for none."""

    folder: Place
    outfit: Place
    interpreter: str


class _Manifest(Struct, frozen=True, kw_only=True):
    format: int
    outfit: str
    platform: str
    libc: str
    python: str
    files: dict[str, str]


def open_pack(text: str, host: Host, locations: Locations) -> OpenedPack:
    """Return a pack that is an archive, which is unpacked into the cache, or the folder that it was unpacked to.

    Raises HashDiffers for a file that is not as packed, CouldNot for a pack of another kind of machine or one that is cut short.
    """
    place = join(host.working_directory, os.path.expanduser(text))
    if os.path.isfile(place):
        folder = join(locations.cache, "packs", digest_of_file(place)[:16])
        if not os.path.isdir(folder):
            remove_tree(f"{folder}.part")
            os.makedirs(os.path.dirname(folder), exist_ok=True)
            unpack_archive(place, f"{folder}.part")
            os.rename(f"{folder}.part", folder)
        place = Place(root_of(folder))
    if not os.path.isdir(place):
        raise UsageError(f"there is no pack {text!r}", next_step=ush("outfit", "equip", "--from", "PACK"))
    manifest = _manifest(place)
    if manifest.platform != host.platform:
        raise CouldNot(f"this pack is for {manifest.platform}; this machine is {host.platform}", where=place)
    for name, sha256 in manifest.files.items():
        path = join(place, name)
        if not os.path.isfile(path):
            raise CouldNot(f"this pack is not whole: {name} is not in it", where=place, next_step="copy it again")
        if digest_of_file(path) != sha256:
            raise HashDiffers(f"{name} is not as it was packed", where=place, next_step="copy the pack again")
    archive = next((one for one in manifest.files if one.startswith("python-") and "/" not in one), "")
    return OpenedPack(
        folder=place, outfit=join(place, "outfit.toml"), interpreter=join(place, archive) if archive else ""
    )


def _manifest(place: Place) -> _Manifest:
    content = read_file(join(place, MANIFEST))
    if content is None:
        raise UsageError(f"{place} is not a pack: it has no {MANIFEST}", next_step=ush("outfit", "pack"))
    try:
        found = msgspec.json.decode(content[0], type=_Manifest)
    except msgspec.DecodeError as error:
        raise CouldNot(f"the list of this pack cannot be read: {error}", where=join(place, MANIFEST)) from error
    if any(name.startswith("/") or ".." in name.split("/") for name in found.files):
        raise CouldNot("the list of this pack names files outside of it", where=join(place, MANIFEST))
    return found
