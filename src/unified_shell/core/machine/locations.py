"""Where `ush` keeps its files: by the XDG base directories, or all of it under USH_HOME."""

import contextlib
import os
from enum import Enum

from msgspec import Struct

from .account import own_user
from .host import Host, System
from .places import Place, join
from .user_folders import NAME, user_folders

__all__ = ["Locations", "Scope", "everyone_locations", "locations_of", "private_folders", "scratch_root"]


class Scope(Enum):
    """Whose it is."""

    ME = "me"
    EVERYONE = "everyone"


class Locations(Struct, frozen=True, kw_only=True):
    """The three directories that hold everything `ush` writes for a scope."""

    config: Place
    data: Place
    cache: Place
    scope: Scope = Scope.ME

    @property
    def scope_words(self) -> tuple[str, ...]:
        """What is added to a command that is typed for this scope: nothing, or `--for everyone`."""
        return () if self.scope is Scope.ME else ("--for", self.scope.value)

    @property
    def config_file(self) -> Place:
        """The file of settings and indexes."""
        return join(self.config, "config.toml")

    @property
    def staging(self) -> Place:
        """Where changes are prepared; on the file system of everything they are moved to."""
        return join(self.data, "staging")


def locations_of(host: Host) -> Locations:
    """Return the locations for the host's user."""
    xdg = host.system in (System.LINUX, System.OTHER)
    found = user_folders(host.environment(), host.home, host.working_directory, xdg=xdg)
    return Locations(config=Place(found.config), data=Place(found.data), cache=Place(found.cache))


def everyone_locations(host: Host) -> Locations:
    """Return the locations for everyone on this machine."""
    top = join(f"{scratch_root(host)}/opt", NAME)
    return Locations(
        config=join(top, "config"), data=join(top, "data"), cache=join(top, "cache"), scope=Scope.EVERYONE
    )


def private_folders(locations: Locations) -> None:
    """Make the folders of a person's own scope, and let nobody else look into them, whatever the session's mask is."""
    if locations.scope is not Scope.ME:
        return
    for folder in (locations.config, locations.data, locations.cache):
        with contextlib.suppress(OSError):
            os.makedirs(folder, mode=0o700, exist_ok=True)
            facts = os.stat(folder)
            if facts.st_mode & 0o077 and facts.st_uid == own_user():
                os.chmod(folder, 0o700)


def scratch_root(host: Host) -> str:
    """Return the directory that stands for the root of the system: empty but for images and tests (USH_ROOT)."""
    return host.variable("USH_ROOT").rstrip("/")
