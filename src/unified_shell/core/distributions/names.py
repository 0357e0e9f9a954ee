"""The type of normalised project names, for modules that name it and need nothing else of the library that owns it.

Importing the library takes longer than all that a quick command does.
"""

from typing import TYPE_CHECKING, NewType

__all__ = ["NormalizedName"]

if TYPE_CHECKING:
    from packaging.utils import NormalizedName
else:
    NormalizedName = NewType("NormalizedName", str)
