"""Folders below a tree, in bounded depth and time: how things are found that are on no path."""

import os
from collections.abc import Iterator

from unified_shell.core.machine.clock import steady_seconds

__all__ = ["SYSTEM_TREES", "folders_within"]

# Deeper than `~/opt/NAME/VERSION/bin`.
MAX_DEPTH = 4
SKIPPED = frozenset({"node_modules", "__pycache__", "site-packages", "proc", "sys", "dev", "Trash"})
SYSTEM_TREES = ("/usr/local", "/opt", "/usr/games", "/usr/sbin", "/sbin", "/snap/bin", "/usr/lib/jvm")


def folders_within(top: str, deadline: float) -> Iterator[str | None]:
    """Yield the folders below `top`, itself first; None once where the time (of the steady clock) ran out."""
    todo = [(top, 0)]
    while todo:
        folder, depth = todo.pop()
        if steady_seconds() > deadline:
            yield None
            return
        yield folder
        if depth >= MAX_DEPTH:
            continue
        try:
            with os.scandir(folder) as entries:
                below = [one.path for one in entries if one.is_dir(follow_symlinks=False) and one.name not in SKIPPED]
        except OSError:
            continue
        todo += [(path, depth + 1) for path in sorted(below, reverse=True)]
