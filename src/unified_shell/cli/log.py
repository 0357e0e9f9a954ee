"""The log file, which holds where unforeseen errors arose."""

import os
import traceback

from unified_shell.core.machine.clock import now_seconds, shown_time
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.machine.places import join

__all__ = ["write_log"]


def write_log(error: Exception) -> str:
    """Add an error to the log and return the log's place, or a word where it cannot be written."""
    place = join(locations_of(read_host()).cache, "ush.log")
    try:
        os.makedirs(os.path.dirname(place), exist_ok=True)
        with open(place, "a", encoding="utf-8", errors="replace") as file:
            file.write(f"{shown_time(now_seconds())}\n{''.join(traceback.format_exception(error))}\n")
    except OSError:
        return "no file (the log cannot be written)"
    return place
