"""A registry kept in a registry file: the stand-in on systems that have none, and a way to read an export."""

import os

from unified_shell.core.machine.files.durable import FileMode, read_file, replace_file

from .registry_text import RegistryContent, parse_registry_text, registry_bytes
from .registry_values import RegistryValue

__all__ = ["RegistryFile"]


class RegistryFile:
    """A registry in a file. Key and value names are the same in any case, as Windows has it."""

    def __init__(self, path: str) -> None:
        self.path = path

    def read(self, key: str, name: str) -> RegistryValue | None:
        """Return a text, or None."""
        values = self._content().get(self._key(key), {})
        found = next((value for known, value in values.items() if known.lower() == name.lower()), None)
        return found if isinstance(found, RegistryValue) else None

    def write(self, key: str, name: str, value: RegistryValue) -> None:
        """Set a value; the file is replaced at once."""
        content = self._content()
        values = content.setdefault(self._key(key), {})
        known = next((one for one in values if one.lower() == name.lower()), name)
        values[known] = value
        self._keep(content)

    def remove(self, key: str, name: str) -> None:
        """Take a value away, and its key where that leaves it empty."""
        content, key = self._content(), self._key(key)
        values = content.get(key, {})
        left = {known: value for known, value in values.items() if known.lower() != name.lower()}
        if len(left) == len(values):
            return
        content[key] = left
        if not left and not any(one.lower().startswith(f"{key.lower()}\\") for one in content):
            del content[key]
        self._keep(content)

    def names(self, key: str) -> tuple[str, ...]:
        """Return the names of a key's values."""
        return tuple(self._content().get(self._key(key), {}))

    def keys(self, key: str) -> tuple[str, ...]:
        """Return the names of the keys right below one."""
        above = f"{key.lower()}\\"
        below = [one[len(above) :].split("\\")[0] for one in self._content() if one.lower().startswith(above)]
        return tuple(dict.fromkeys(below))

    def may_write(self, key: str) -> bool:  # noqa: ARG002 - the file has one owner
        """Tell whether the file can be written."""
        return os.access(self.path if os.path.exists(self.path) else os.path.dirname(self.path), os.W_OK)

    def _key(self, key: str) -> str:
        return next((one for one in self._content() if one.lower() == key.lower()), key)

    def _content(self) -> RegistryContent:
        found = read_file(self.path)
        try:
            return {} if found is None else parse_registry_text(found[0])
        except ValueError as error:
            raise OSError(f"{self.path} is not a registry file: {error}") from error

    def _keep(self, content: RegistryContent) -> None:
        found = read_file(self.path)
        mode = FileMode() if found is None else found[1]
        replace_file(self.path, registry_bytes(content), mode, beside=f"{self.path}.new")
