"""Where `ush` keeps its files: by the XDG base directories, or all of it under USH_HOME."""

from dataclasses import dataclass

from .host import Host, System
from .places import Place, join

__all__ = ["Locations", "locations_of"]

NAME = "unified-shell"


@dataclass(frozen=True, slots=True, kw_only=True)
class Locations:
    """The three directories that hold everything `ush` writes on its own account."""

    config: Place
    data: Place
    cache: Place

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
    if home := host.variable("USH_HOME"):
        top = home if home.startswith("/") else join(host.working_directory, home)
        return Locations(config=join(top, "config"), data=join(top, "data"), cache=join(top, "cache"))
    if host.system in (System.LINUX, System.OTHER):
        return Locations(
            config=_xdg(host, "XDG_CONFIG_HOME", ".config"),
            data=_xdg(host, "XDG_DATA_HOME", ".local/share"),
            cache=_xdg(host, "XDG_CACHE_HOME", ".cache"),
        )
    import platformdirs

    return Locations(
        config=Place(platformdirs.user_config_dir(NAME, appauthor=False)),
        data=Place(platformdirs.user_data_dir(NAME, appauthor=False)),
        cache=Place(platformdirs.user_cache_dir(NAME, appauthor=False)),
    )


def _xdg(host: Host, variable: str, below_home: str) -> Place:
    # The XDG specification: a relative value is to be ignored.
    value = host.variable(variable)
    return join(value if value.startswith("/") else join(host.home, below_home), NAME)
