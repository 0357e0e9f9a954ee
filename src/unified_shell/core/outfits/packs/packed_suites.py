"""The suites of a pack: their descriptions, for the one form that is meant, beside their archives and sample data."""

import os
import shutil
from collections.abc import Callable

import tomlkit

from unified_shell.core.catalogs.description import Description
from unified_shell.core.catalogs.reading import Listed
from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush
from unified_shell.core.outfits.equipping import Equipping
from unified_shell.core.outfits.locks.suites import archives_lock_text, request_by_lock
from unified_shell.core.suites.suite_origins import settle_suite, with_needed

from .other_machine import OtherMachine

__all__ = ["pack_suites"]


def pack_suites(equipping: Equipping, stage: Place, other: OtherMachine, there: list[str]) -> int:
    """Put the description and archives of each suite that the other machine lacks into a catalog of the stage; return the number
    of suites. Those that it has are named in `there`.
    """
    folder = join(stage, "catalog")
    os.mkdir(folder)
    names: list[str] = []
    for wanted in equipping.outfit.suites:
        if not equipping.is_meant(wanted.when):
            continue
        if title := other.suite(wanted.name, wanted.version):
            there.append(title)
            continue
        asked = settle_suite(
            request_by_lock(wanted, equipping), equipping.find, equipping.fetcher, equipping.host, equipping.locations
        )
        every = with_needed(asked, equipping.find, equipping.host, equipping.locations, equipping.fetcher)
        for origin in every:
            listed = equipping.find(_same_as(origin.description))
            if listed is None:
                raise CouldNot(f"no catalog describes {origin.name} any more", next_step=ush("suite", "list"))
            if origin.name not in names:
                _suite(equipping, listed, origin.form.archive.sha256, folder)
                names.append(origin.name)
    rows = [
        {"file": f"{name}.toml", "sha256": digest_of_file(join(folder, f"{name}.toml"))} for name in sorted(names)
    ]
    with open(join(folder, "catalog.toml"), "w", encoding="utf-8") as file:
        file.write(tomlkit.dumps({"description": rows} if rows else {}))
    text = archives_lock_text(equipping)
    if text:
        with open(join(stage, "outfit.lock.toml"), "w", encoding="utf-8") as file:
            file.write(text)
    return len(names)


def _same_as(described: Description) -> Callable[[Description], bool]:
    return lambda one: one == described


def _suite(equipping: Equipping, listed: Listed, sha256: str, folder: Place) -> None:
    """Write a description that names files beside it, for the form with this archive, and fetch them."""
    described = listed.description
    reply = equipping.fetcher.get(listed.address, limit_bytes=4_000_000)
    document = tomlkit.parse(reply.content.decode()).unwrap()
    (form,) = [one for one in described.forms if one.archive.sha256 == sha256]
    (row,) = [one for one in document["form"] if one["sha256"] == sha256]
    document["form"] = [row]
    archives = [(row, form.archive), *zip(row.get("patch", []), form.patches, strict=True)]
    if described.trial is not None and described.trial.sample is not None:
        archives.append((document["trial"]["sample"], described.trial.sample))
    for table, archive in archives:
        equipping.progress(f"fetch {archive.file_name}")
        path = join(equipping.locations.cache, "archives", f"{described.name}-{described.version}", archive.file_name)
        if not (os.path.isfile(path) and digest_of_file(path) == archive.sha256):
            if not archive.url:
                raise CouldNot(f"{archive.file_name} must be fetched by hand: {archive.by_hand}", where=path)
            equipping.fetcher.download(archive.url, path, sha256=archive.sha256)
        shutil.copyfile(path, join(folder, archive.file_name))
        table["url"] = archive.file_name
        table.pop("by-hand", None)
    with open(join(folder, f"{described.name}-{described.version}.toml"), "w", encoding="utf-8") as file:
        file.write(tomlkit.dumps(document))
