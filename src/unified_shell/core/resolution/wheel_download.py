"""Bringing the wheels that requirements need into a folder, for a machine without a network."""

import os
import shutil
from collections.abc import Callable, Iterable

from unified_shell.core.errors import CouldNot, os_error_text
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.places import Place, join

from .questions import Candidate
from .reading_metadata import fetch_file

__all__ = ["download_wheels"]


def download_wheels(
    candidates: Iterable[Candidate], folder: str, client: IndexClient, cache: str, *, progress: Callable[[str], None]
) -> tuple[Place, ...]:
    """Copy each candidate's file into a folder and return those that were not there; each is whole or not there."""
    brought = []
    try:
        os.makedirs(folder, exist_ok=True)
        for one in candidates:
            target = join(folder, one.file.name)
            if os.path.exists(target):
                continue
            progress(f"fetch {one.file.name}")
            shutil.copyfile(fetch_file(one.file, client, cache), f"{target}.part")
            os.replace(f"{target}.part", target)
            brought.append(target)
    except OSError as error:
        raise CouldNot(
            f"the wheels could not be written there: {os_error_text(error)}", next_step="choose another folder"
        ) from error
    return tuple(brought)
