"""Where files of distributions, and what was read of them, are kept in the cache.

Each path is made of checked types alone: a name or a hash that an index, a lock or an address told became one of them at
its border, or was left out there.
"""

from msgspec import Struct

from unified_shell.core.distributions.file_names import FileName
from unified_shell.core.machine.files.digests import Sha256
from unified_shell.core.machine.places import Place, join

__all__ = ["FileCache"]


class FileCache(Struct, frozen=True):
    """The part of the cache folder `top` that is kept by the hash of a file."""

    top: str

    def file(self, sha256: Sha256, name: FileName) -> Place:
        """Return where a wheel or source distribution of that hash is kept."""
        return join(self.top, "wheels", sha256, name)

    def metadata(self, sha256: Sha256, name: FileName) -> Place:
        """Return where the metadata of a wheel of that hash is kept."""
        return join(self.top, "metadata", sha256, f"{name}.metadata")

    def unhashed(self, address_sha256: Sha256, name: FileName) -> Place:
        """Return where a file is put of which nobody promised a hash; `address_sha256` is its address's."""
        return join(self.top, "addresses", address_sha256, name)

    def built(self, source_sha256: Sha256) -> Place:
        """Return the folder of the wheels that were built from a source distribution."""
        return join(self.top, "built", source_sha256)

    def preview(self, name: str, sha256: Sha256) -> Place:
        """Return where is kept what a wheel will bring; `name` tells the form and how far it was checked."""
        return join(self.top, "brought", f"{name}-{sha256}")
