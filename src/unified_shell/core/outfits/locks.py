"""Where the locks of an outfit are: a file an environment, beside the outfit's own (PEP 751 names them so), and one for suites."""

import os

from unified_shell.core.machine.places import Place, join

__all__ = ["lock_file_of", "suites_lock_of"]


def lock_file_of(outfit: str, environment: str) -> Place:
    """Return the lock file of an environment of an outfit."""
    return join(os.path.dirname(outfit), f"pylock.{environment.replace('.', '-')}.toml")


def suites_lock_of(outfit: str) -> Place:
    """Return the file with the hashes of an outfit's suites."""
    return join(os.path.dirname(outfit), f"{os.path.basename(outfit).removesuffix('.toml')}.lock.toml")
