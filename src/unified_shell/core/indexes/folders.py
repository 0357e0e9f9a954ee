"""Wheels in a local folder, flat or in a folder for each project."""

import os

from packaging.utils import NormalizedName

from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.errors import TransferFailed
from unified_shell.core.machine.places import Place, join

__all__ = ["projects_in", "wheels_in"]


def projects_in(folder: str) -> dict[NormalizedName, list[Place]]:
    """Return every project that the folder has wheels of, with their paths in the order of names."""
    found: dict[NormalizedName, list[Place]] = {}
    for path in _wheel_files(folder):
        name = parse_wheel_name(os.path.basename(path))
        if name is not None:
            found.setdefault(name.project, []).append(path)
    return found


def wheels_in(folder: str, project: NormalizedName) -> list[Place]:
    """Return the project's wheels in a folder."""
    return projects_in(folder).get(project, [])


def _wheel_files(folder: str) -> list[Place]:
    try:
        with os.scandir(folder) as entries:
            ordered = sorted(entries, key=lambda one: one.name)
        found = [join(folder, one.name) for one in ordered if one.name.endswith(".whl")]
        for one in ordered:
            if one.is_dir(follow_symlinks=False):
                found += [join(one.path, name) for name in sorted(os.listdir(one.path)) if name.endswith(".whl")]
    except OSError as error:
        raise TransferFailed(f"the folder {folder} cannot be read: {(error.strerror or '').lower()}") from error
    return found
