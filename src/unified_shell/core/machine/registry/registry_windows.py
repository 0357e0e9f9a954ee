"""Windows' own registry. It could not be run where this was written; its tests hand it a stand-in for `winreg`."""

import contextlib
from collections.abc import Callable, Iterator
from typing import Any

from .registry_values import RegistryKind, RegistryValue

__all__ = ["WindowsRegistry", "announce_to_programs"]

# SendMessageTimeout's window, message and flag for "the environment changed" (Microsoft's documentation).
HWND_BROADCAST, WM_SETTINGCHANGE, SMTO_ABORTIFHUNG, WAIT_MILLISECONDS = 0xFFFF, 0x001A, 0x0002, 5000


class WindowsRegistry:
    """The registry by the standard library's `winreg`. The 64-bit view is asked for, whatever this Python is."""

    def __init__(self, winreg: Any, announce: Callable[[], None]) -> None:
        self._winreg = winreg
        self._announce = announce
        self._kinds = {RegistryKind.TEXT: winreg.REG_SZ, RegistryKind.EXPANDABLE: winreg.REG_EXPAND_SZ}

    def read(self, key: str, name: str) -> RegistryValue | None:
        """Return a text, or None; a text is not expanded."""
        try:
            with self._open(key, self._winreg.KEY_READ) as opened:
                text, number = self._winreg.QueryValueEx(opened, name)
        except FileNotFoundError:
            return None
        kind = next((kind for kind, known in self._kinds.items() if known == number), None)
        return None if kind is None else RegistryValue(text=text, kind=kind)

    def write(self, key: str, name: str, value: RegistryValue) -> None:
        """Set a value, and tell running programs where it is a variable."""
        root, below = self._split(key)
        access = self._winreg.KEY_WRITE | self._winreg.KEY_WOW64_64KEY
        with self._winreg.CreateKeyEx(root, below, 0, access) as opened:
            self._winreg.SetValueEx(opened, name, 0, self._kinds[value.kind], value.text)
        self._tell(key)

    def remove(self, key: str, name: str) -> None:
        """Take a value away, and its key where that leaves it empty."""
        with contextlib.suppress(FileNotFoundError):
            with self._open(key, self._winreg.KEY_WRITE) as opened:
                self._winreg.DeleteValue(opened, name)
            self._tell(key)
            if not self.names(key) and not self.keys(key):
                root, below = self._split(key)
                self._winreg.DeleteKeyEx(root, below, self._winreg.KEY_WOW64_64KEY, 0)

    def names(self, key: str) -> tuple[str, ...]:
        """Return the names of a key's values."""
        return tuple(name for name, _, _ in self._each(key, self._winreg.EnumValue))

    def keys(self, key: str) -> tuple[str, ...]:
        """Return the names of the keys right below one."""
        return tuple(self._each(key, self._winreg.EnumKey))

    def may_write(self, key: str) -> bool:
        """Try to open a key for writing."""
        try:
            with self._open(key, self._winreg.KEY_WRITE):
                return True
        except FileNotFoundError:
            return True
        except OSError:
            return False

    def _each(self, key: str, ask: Callable[[Any, int], Any]) -> Iterator[Any]:
        try:
            with self._open(key, self._winreg.KEY_READ) as opened:
                number = 0
                while True:
                    yield ask(opened, number)
                    number += 1
        except OSError:  # no more of them, or no such key
            return

    @contextlib.contextmanager
    def _open(self, key: str, access: int) -> Iterator[Any]:
        root, below = self._split(key)
        with self._winreg.OpenKey(root, below, 0, access | self._winreg.KEY_WOW64_64KEY) as opened:
            yield opened

    def _split(self, key: str) -> tuple[Any, str]:
        root, _, below = key.partition("\\")
        return getattr(self._winreg, root), below

    def _tell(self, key: str) -> None:
        if key.lower().endswith("\\environment"):
            self._announce()


def announce_to_programs(send: Callable[..., int]) -> None:
    """Tell running programs that variables changed; those that listen hand the new ones to what they start.

    `send` is `user32.SendMessageTimeoutW`.
    """
    send(HWND_BROADCAST, WM_SETTINGCHANGE, 0, "Environment", SMTO_ABORTIFHUNG, WAIT_MILLISECONDS, None)
