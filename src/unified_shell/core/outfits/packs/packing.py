"""An outfit with all that it needs in one archive: wheels, suites, an interpreter, and ush itself to carry it out.

Unpacked on a machine of the same kind, `sh equip.sh` needs nothing but tar and a shell; on Windows, where it is a zip,
`equip.cmd` nothing but what the system has. The same input gives the same bytes.
"""

import contextlib
import os
import shutil
from collections.abc import Iterator
from typing import Any

import tomlkit
from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.archives.packing import check_archive_name, pack_tree
from unified_shell.core.environments.model.base_interpreter import check_base
from unified_shell.core.errors import UshError
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.getting.packing import pack_interpreter, packed_name
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.files.durable import read_file, remove_tree
from unified_shell.core.machine.places import Place, join, to_json_text
from unified_shell.core.outfits.equipping import Equipping
from unified_shell.core.outfits.locks.beside import lock_file_of
from unified_shell.core.outfits.locks.plans import LockOptions, lock_environment
from unified_shell.core.outfits.locks.settling import LockedPackage
from unified_shell.core.outfits.locks.writing import lock_text
from unified_shell.core.outfits.wanted_commands import as_environment
from unified_shell.core.outfits.wanted_environments import requirements_of
from unified_shell.core.resolution.reading_metadata import fetch_file
from unified_shell.core.transfers.addresses import address_of_folder

from .other_machine import OtherMachine
from .packed_suites import pack_suites
from .packed_ush import pack_ush, write_scripts

__all__ = ["MANIFEST", "Packed", "pack_outfit"]

MANIFEST = "pack.json"
FORMAT = 1
# Byte code goes by the times of its sources; everything else here is the same whenever it was made.
FIXED_SECONDS = 946_684_800


class Packed(Struct, frozen=True, kw_only=True):
    """What was packed: the archive, and what it holds; `interpreter` is empty where none of this machine can be packed. What is
    in `there`, the other machine has.
    """

    place: Place
    wheels: int
    suites: int
    interpreter: str
    size_bytes: int
    left_out: tuple[str, ...] = ()
    there: tuple[str, ...] = ()


def pack_outfit(
    equipping: Equipping, archive: str, *, with_interpreter: bool = True, other: OtherMachine | None = None
) -> Packed:
    """Write the archive, without what `other`, the machine that it is for, has; raises CouldNot for what cannot be had, and
    where an environment cannot be locked.
    """
    check_archive_name(archive)
    target = Place(os.path.normpath(join(equipping.host.working_directory, archive)))
    work = join(equipping.locations.cache, "packing", f"outfit-{os.getpid()}")
    remove_tree(work)
    stage = join(work, "stage")
    os.makedirs(stage)
    try:
        other = other or OtherMachine()
        there: list[str] = []
        wheels = _wheels(equipping, stage, other, there)
        suites = pack_suites(equipping, stage, other, there)
        left_out = _outfit_file(equipping, stage)
        facts = _interpreter(equipping) if with_interpreter else None
        if facts is not None and (title := other.python(facts, equipping.outfit.interpreter.version)):
            facts = None
            there.append(title)
        name = _pack_interpreter(equipping, facts, stage) if facts is not None else ""
        equipping.progress("pack ush itself")
        pack_ush(join(stage, "ush"))
        version = facts.full_version if facts is not None else ""
        write_scripts(stage, version, name, is_windows=equipping.host.has_batch_files)
        manifest = _manifest(equipping, stage, facts)
        equipping.progress("write the archive")
        with _fixed_times(stage):
            pack_tree(
                stage,
                f"{equipping.outfit.name}-pack",
                target,
                {MANIFEST: manifest},
                work=work,
                progress=equipping.progress,
            )
    finally:
        remove_tree(work)
    return Packed(
        place=target,
        wheels=wheels,
        suites=suites,
        interpreter=facts.title if facts is not None else "",
        size_bytes=os.path.getsize(target),
        left_out=left_out,
        there=tuple(there),
    )


def _wheels(equipping: Equipping, stage: Place, other: OtherMachine, there: list[str]) -> int:
    """Put the wheels of every environment and command, and their locks, into the stage; return the number of wheels. Those of
    an environment that the other machine has whole are left out, and named in `there`.
    """
    folder = join(stage, "index")
    os.mkdir(folder)
    every = (*equipping.outfit.environments, *map(as_environment, equipping.outfit.commands))
    for wanted in every:
        lock = lock_environment(wanted, equipping, LockOptions()) if equipping.is_meant(wanted.when) else None
        if lock is None:
            continue
        if title := other.environment(wanted.name, lock.packages):
            there.append(title)
        here = lock.packages if title else [_with_file_here(one, equipping, folder) for one in lock.packages]
        targets = lock.targets
        asked = requirements_of(wanted, equipping.folder)
        text = lock_text(here, targets, folder=stage, indexes={}, as_of=wanted.as_of, asked=asked)
        with open(lock_file_of(join(stage, "outfit.toml"), wanted.name), "w", encoding="utf-8") as file:
            file.write(text)
    return len(os.listdir(folder))


def _with_file_here(package: LockedPackage, equipping: Equipping, folder: Place) -> LockedPackage:
    files = []
    for one in package.files:
        equipping.progress(f"fetch {one.name}")
        path = fetch_file(one, equipping.client, equipping.locations.cache)
        place = join(folder, one.name)
        shutil.copyfile(path, place)
        files.append(_moved(one, place))
    return LockedPackage(
        name=package.name,
        version=package.version,
        files=tuple(files),
        targets=package.targets,
        marker=package.marker,
        requires_python=package.requires_python,
        needs=package.needs,
    )


def _moved(file: IndexFile, place: Place) -> IndexFile:
    return replace(file, address=address_of_folder(place).rstrip("/"), uploaded="")


def _outfit_file(equipping: Equipping, stage: Place) -> tuple[str, ...]:
    """Write the outfit, with the pack's own index and catalog for those that it names; return the folders beside it that it
    puts on search paths, and which are not in the pack.
    """
    content = read_file(equipping.place)
    assert content is not None
    document = tomlkit.parse(content[0].decode())
    document["index"] = {"pack": {"url": "index"}}
    document["catalog"] = {"pack": {"url": "catalog"}}
    left = [one for table in _path_tables(document) for one in _without_relative(table)]
    for one in equipping.outfit.environments:
        for name in one.files:
            place = join(stage, name)
            os.makedirs(os.path.dirname(place), exist_ok=True)
            shutil.copyfile(join(equipping.folder, name), place)
    with open(join(stage, "outfit.toml"), "w", encoding="utf-8") as file:
        file.write(tomlkit.dumps(document))
    return tuple(dict.fromkeys(left))


def _path_tables(document: Any) -> Iterator[Any]:
    every = [document, *document.get("environment", {}).values()]
    for table in every:
        yield from table.get("search-path", {}).values()


def _without_relative(table: Any) -> list[str]:
    """Take the places beside the outfit out of a search path, and return them."""
    left: list[str] = []
    for side in ("front", "back"):
        if side in table:
            gone = [str(one) for one in table[side] if not str(one).startswith(("/", "{"))]
            table[side] = [one for one in table[side] if str(one) not in gone]
            left += gone
    return left


def _interpreter(equipping: Equipping) -> InterpreterFacts | None:
    """Return an interpreter that fits the outfit, can run ush and can be packed; None where this machine has none."""
    own = probe(equipping.host.python, equipping.host)
    bound = equipping.outfit.interpreter.version
    every = [one.facts for one in discover(equipping.host, only_python=True).python if one.facts is not None]
    own_base = [one for one in every if one.base_prefix == own.base_prefix]
    for facts in (*own_base, *every):
        fits = version_fits(facts.full_version, bound) and facts.version[:2] == own.version[:2]
        if fits and not facts.environment_prefix and not _is_shared(facts) and _can_be_base(facts):
            return facts
    return None


def _can_be_base(facts: InterpreterFacts) -> bool:
    """Tell whether environments can stand on it: those on the form for embedding, of Windows, would see no packages."""
    try:
        check_base(facts)
    except UshError:
        return False
    return True


def _is_shared(facts: InterpreterFacts) -> bool:
    return facts.externally_managed or os.path.realpath(facts.base_prefix) in ("/", "/usr", "/usr/local", "/opt")


def _pack_interpreter(equipping: Equipping, facts: InterpreterFacts, stage: Place) -> str:
    equipping.progress(f"pack {facts.title}")
    name = packed_name("python", facts.full_version, equipping.host)
    pack_interpreter(facts, join(stage, name), equipping.host, equipping.locations, progress=equipping.progress)
    return name


def _manifest(equipping: Equipping, stage: Place, facts: InterpreterFacts | None) -> bytes:
    """Return the list of all files with their hashes, and for which kind of machine they are."""
    files = {
        os.path.relpath(join(folder, name), stage): digest_of_file(join(folder, name))
        for folder, _, names in os.walk(stage)
        for name in names
    }
    told = {
        "format": FORMAT,
        "outfit": equipping.outfit.name,
        "platform": equipping.host.platform,
        "libc": str(equipping.host.libc),
        "python": facts.full_version if facts is not None else "",
        "files": dict(sorted(files.items())),
    }
    return (to_json_text(told) + "\n").encode("ascii")


@contextlib.contextmanager
def _fixed_times(stage: str) -> Iterator[None]:
    for folder, _, names in os.walk(stage):
        for name in (*names, ""):
            with contextlib.suppress(UshError, OSError):
                os.utime(join(folder, name) if name else folder, (FIXED_SECONDS, FIXED_SECONDS))
    yield
