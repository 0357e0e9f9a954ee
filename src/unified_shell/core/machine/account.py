"""Who we are to the system."""

import os

__all__ = ["own_user"]


def own_user() -> int:
    """Return the number of our user, the effective one; -1 where users have no numbers."""
    return os.geteuid() if hasattr(os, "geteuid") else -1
