"""Where the locks of an outfit are: a file an environment, beside the outfit's own (PEP 751 names them so)."""

import os

from unified_shell.core.machine.places import Place, join

__all__ = ["lock_file_of"]


def lock_file_of(outfit: str, environment: str) -> Place:
    """Return the lock file of an environment of an outfit."""
    return join(os.path.dirname(outfit), f"pylock.{environment.replace('.', '-')}.toml")
