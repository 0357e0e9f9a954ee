"""What a source tree says of how it is built: `[build-system]` in its pyproject.toml.

Source: PEP 517 and 518; a tree that says nothing is built as PEP 517 says, with the oldest convention.
"""

import os
import tomllib
from collections.abc import Mapping

from msgspec import Struct
from packaging.requirements import InvalidRequirement, Requirement

from unified_shell.core.errors import BuildFailed

__all__ = ["BuildRecipe", "read_recipe"]

UNSAID_REQUIRES = ("setuptools>=40.8", "wheel")
UNSAID_BACKEND = "setuptools.build_meta:__legacy__"


class BuildRecipe(Struct, frozen=True, kw_only=True):
    """What building needs, the backend's module or object, and the folders of the tree in which it is looked for."""

    requires: tuple[Requirement, ...]
    backend: str
    backend_folders: tuple[str, ...] = ()


def read_recipe(tree: str, name: str) -> BuildRecipe:
    """Return a tree's recipe; raises BuildFailed where it cannot be read or points out of the tree."""
    try:
        with open(os.path.join(tree, "pyproject.toml"), "rb") as file:
            said = tomllib.load(file).get("build-system", {})
    except FileNotFoundError:
        said = {}
    except (OSError, ValueError) as error:
        raise BuildFailed(f"the pyproject.toml of {name} cannot be read: {error}") from error
    if not isinstance(said, Mapping):
        raise BuildFailed(f"[build-system] of {name} is not a table")
    requires = said.get("requires", list(UNSAID_REQUIRES))
    folders = said.get("backend-path", [])
    if not _are_texts(requires) or not _are_texts(folders):
        raise BuildFailed(f"[build-system] of {name}: requires and backend-path are lists of texts")
    for folder in folders:
        if os.path.isabs(folder) or os.path.normpath(folder).startswith(".."):
            raise BuildFailed(f"the backend-path of {name} leads out of its tree: {folder!r}")
    try:
        parsed = tuple(Requirement(one) for one in requires)
    except InvalidRequirement as error:
        raise BuildFailed(f"what {name} requires to be built cannot be read: {str(error).splitlines()[0]}") from error
    return BuildRecipe(
        requires=parsed, backend=str(said.get("build-backend", UNSAID_BACKEND)), backend_folders=tuple(folders)
    )


def _are_texts(value: object) -> bool:
    return isinstance(value, list) and all(isinstance(one, str) for one in value)
