"""Normalised project names, for modules that need nothing else of the library that owns their type.

Importing that library takes longer than all that a quick command does. Source: the Names and normalization specification
(PEP 503).
"""

import re
from typing import TYPE_CHECKING, NewType

__all__ = ["NormalizedName", "canonicalize_name"]

if TYPE_CHECKING:
    from packaging.utils import NormalizedName
else:
    NormalizedName = NewType("NormalizedName", str)

SEPARATORS = re.compile(r"[-_.]+")


def canonicalize_name(name: str) -> NormalizedName:
    """Return a project's name in small letters, with one dash for each run of dashes, underscores and dots."""
    return NormalizedName(SEPARATORS.sub("-", name).lower())
