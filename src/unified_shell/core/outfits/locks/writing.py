"""A lock as a file: the standard for Python lock files (PEP 751), and beside it what the standard has no place for."""

import datetime
import os
from collections.abc import Mapping, Sequence

import tomlkit
from packaging.requirements import Requirement

from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.errors import UsageError
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.next_steps import Command
from unified_shell.core.transfers.addresses import place_of_address, shown_address

from .settling import LockedPackage
from .targets import LockTarget

__all__ = ["lock_difference", "lock_text", "locked_versions"]


def lock_text(
    packages: Sequence[LockedPackage],
    targets: Sequence[LockTarget],
    *,
    folder: str,
    indexes: Mapping[str, str],
    as_of: str,
    asked: Sequence[Requirement] = (),
) -> str:
    """Return the lock file of an environment; `folder` is where it will stand, `indexes` are their addresses by name. What
    was `asked` for is kept with it: which extras are in a lock cannot be told from its packages.

    The same packages give the same bytes: no time of its own is in it.
    """
    document = tomlkit.document()
    document["lock-version"] = "1.0"
    document["environments"] = [one.marker for one in targets]
    document["created-by"] = "unified-shell"
    document["packages"] = [_package(one, folder, indexes) for one in packages]
    tool: dict[str, object] = {"targets": [one.name for one in targets]}
    if asked:
        tool["asked"] = [str(one) for one in asked]
    if as_of:
        tool["as-of"] = as_of
    document["tool"] = {"unified-shell": tool}
    return tomlkit.dumps(document)


def _package(one: LockedPackage, folder: str, indexes: Mapping[str, str]) -> dict[str, object]:
    row: dict[str, object] = {"name": one.name, "version": one.version}
    if one.marker:
        row["marker"] = one.marker
    if one.requires_python:
        row["requires-python"] = one.requires_python
    if one.needs:
        row["dependencies"] = [{"name": name} for name in one.needs]
    address = indexes.get(one.index, "")
    if address.startswith("http"):
        row["index"] = shown_address(address)
    row["wheels"] = [_wheel(file, folder) for file in one.files]
    return row


def _wheel(file: IndexFile, folder: str) -> dict[str, object]:
    row: dict[str, object] = {"name": str(file.name)}
    place = place_of_address(file.address)
    if place is None:
        row["url"] = shown_address(file.address)
    else:
        # Relative where that stays right when the folder is carried elsewhere.
        relative = os.path.relpath(place, folder)
        row["path"] = relative if not relative.startswith("../..") else place
    if file.uploaded and place is None:
        row["upload-time"] = datetime.datetime.fromisoformat(file.uploaded.replace("Z", "+00:00"))
    if file.size_bytes >= 0:
        row["size"] = file.size_bytes
    row["hashes"] = {"sha256": str(file.sha256)}
    return row


def locked_versions(path: str) -> dict[NormalizedName, str]:
    """Return the versions in a lock file, by project; of several for one project the first. None where there is no file."""
    content = read_file(path)
    if content is None:
        return {}
    try:
        rows = tomlkit.parse(content[0].decode()).unwrap().get("packages", [])
        found: dict[NormalizedName, str] = {}
        for row in rows:
            found.setdefault(canonicalize_name(row["name"]), str(row.get("version", "")))
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise UsageError(
            f"{path} is not a lock file: {error}", next_step=Command(words=("rm", path), why="then lock again")
        ) from error
    return {name: version for name, version in found.items() if version}


def lock_difference(before: Mapping[NormalizedName, str], after: Sequence[LockedPackage]) -> tuple[str, ...]:
    """Return how a lock differs from the one before, a line a project."""
    now: dict[NormalizedName, list[str]] = {}
    for one in after:
        now.setdefault(one.name, []).append(f"{one.version}{f' ({one.marker})' if one.marker else ''}")
    lines = []
    for name in sorted({*before, *now}):
        was, will = before.get(name, ""), ", ".join(now.get(name, ()))
        bare = [one.split(" ")[0] for one in now.get(name, ())]
        if not was:
            lines.append(f"+ {name} {will}")
        elif not will:
            lines.append(f"- {name} {was}")
        elif bare != [was]:
            lines.append(f"~ {name} {was} → {will}")
    return tuple(lines)
