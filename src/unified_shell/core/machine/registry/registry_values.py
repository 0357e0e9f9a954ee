"""What the Windows registry is to this program: keys with named values, behind one small interface."""

from enum import Enum
from typing import Protocol

from msgspec import Struct

__all__ = ["Registry", "RegistryKind", "RegistryValue"]


class RegistryKind(Enum):
    """The two kinds of text; `%NAME%` is expanded in the second, by whoever starts a program."""

    TEXT = "REG_SZ"
    EXPANDABLE = "REG_EXPAND_SZ"


class RegistryValue(Struct, frozen=True, kw_only=True):
    """A text with its kind."""

    text: str
    kind: RegistryKind = RegistryKind.TEXT


class Registry(Protocol):
    """A registry. Keys are whole paths such as `HKEY_CURRENT_USER\\Environment`; a value's empty name is the default."""

    def read(self, key: str, name: str) -> RegistryValue | None:
        """Return a text, or None where there is none or it is of another kind."""
        ...

    def write(self, key: str, name: str, value: RegistryValue) -> None:
        """Set a value, making the key where it is not there; raises OSError."""
        ...

    def remove(self, key: str, name: str) -> None:
        """Take a value away, and its key where that leaves it empty; nothing there is fine."""
        ...

    def names(self, key: str) -> tuple[str, ...]:
        """Return the names of a key's values."""
        ...

    def keys(self, key: str) -> tuple[str, ...]:
        """Return the names of the keys right below one."""
        ...

    def may_write(self, key: str) -> bool:
        """Tell whether this account may change a key."""
        ...
