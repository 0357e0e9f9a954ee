"""Where a person's files of ush are, by rule alone: read where nothing else may be loaded, as for a completion."""

import os
import sys
from collections.abc import Mapping

__all__ = ["NAME", "UserFolders", "session_variables", "user_folders", "uses_xdg"]

NAME = "unified-shell"


class UserFolders:
    """The three directories that hold everything `ush` writes for a person."""

    def __init__(self, config: str, data: str, cache: str) -> None:
        self.config, self.data, self.cache = config, data, cache


def session_variables() -> Mapping[str, str]:
    """Return the variables of this session."""
    return os.environ


def uses_xdg() -> bool:
    """Tell whether this system's programs keep their files by the XDG base directories."""
    return sys.platform not in ("darwin", "win32")


def user_folders(variables: Mapping[str, str], home: str, directory: str, *, xdg: bool) -> UserFolders:
    """Return the folders by the XDG base directories, or with `xdg` false by the system's own rule, or all below USH_HOME; a
    relative one is meant from `directory`.
    """
    if top := variables.get("USH_HOME", ""):
        top = top if os.path.isabs(top) else f"{directory}/{top}"
        return UserFolders(f"{top}/config", f"{top}/data", f"{top}/cache")
    if xdg:
        return UserFolders(
            _xdg(variables, home, "XDG_CONFIG_HOME", ".config"),
            _xdg(variables, home, "XDG_DATA_HOME", ".local/share"),
            _xdg(variables, home, "XDG_CACHE_HOME", ".cache"),
        )
    import platformdirs

    return UserFolders(
        platformdirs.user_config_dir(NAME, appauthor=False),
        platformdirs.user_data_dir(NAME, appauthor=False),
        platformdirs.user_cache_dir(NAME, appauthor=False),
    )


def _xdg(variables: Mapping[str, str], home: str, variable: str, below_home: str) -> str:
    # The XDG specification: a relative value is to be ignored.
    value = variables.get(variable, "")
    return f"{value if value.startswith('/') else f'{home}/{below_home}'}/{NAME}"
