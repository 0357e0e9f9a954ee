"""Wheels and source distributions in a local folder, flat or in a folder for each project."""

import os

from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import source_parts
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.errors import TransferFailed, os_error_reason
from unified_shell.core.machine.places import Place, join

__all__ = ["files_in", "projects_in"]

ENDINGS = (".whl", ".tar.gz", ".zip")


def projects_in(folder: str) -> dict[NormalizedName, list[Place]]:
    """Return every project that the folder has files of, with their paths in the order of names."""
    found: dict[NormalizedName, list[Place]] = {}
    for path in _files(folder):
        project = _project_of(os.path.basename(path))
        if project is not None:
            found.setdefault(project, []).append(path)
    return found


def _project_of(file_name: str) -> NormalizedName | None:
    wheel, source = parse_wheel_name(file_name), source_parts(file_name)
    if wheel is not None:
        return wheel.project
    return canonicalize_name(source.project) if source is not None else None


def files_in(folder: str, project: NormalizedName) -> list[Place]:
    """Return the project's files in a folder."""
    return projects_in(folder).get(project, [])


def _files(folder: str) -> list[Place]:
    try:
        with os.scandir(folder) as entries:
            ordered = sorted(entries, key=lambda one: one.name)
        found = [join(folder, one.name) for one in ordered if one.name.endswith(ENDINGS)]
        for one in ordered:
            if one.is_dir(follow_symlinks=False):
                found += [join(one.path, name) for name in sorted(os.listdir(one.path)) if name.endswith(ENDINGS)]
    except OSError as error:
        raise TransferFailed(f"the folder {folder} cannot be read: {os_error_reason(error)}") from error
    return found
