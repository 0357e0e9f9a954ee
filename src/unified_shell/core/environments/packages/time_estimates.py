"""How long filling an environment takes on this machine: told only where something comparable was done before."""

import statistics
from collections.abc import Sequence

import msgspec

from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.places import join

__all__ = ["expected_seconds", "note_time"]

# Newer runs tell of this network and disk; older ones of another day's.
MOST_KEPT = 30
# What is up to so many times larger or smaller, in files and in bytes, is comparable.
COMPARABLE = 4.0
# One run: wheels, their bytes, and the seconds of fetching, unpacking and compiling them.
_Run = tuple[int, int, float]


def expected_seconds(cache: str, files: int, size_bytes: int, *, fetched: bool) -> float:
    """Return how long that many wheels of that many bytes are likely to take, fetched or from the cache; 0 where nothing
    comparable was done yet.
    """
    per_byte = [
        seconds * (files + size_bytes / _mean_bytes(run)) / (run[0] + run[1] / _mean_bytes(run))
        for run in _read(cache, fetched=fetched)
        if _is_comparable(run[0], files) and _is_comparable(run[1], size_bytes) and (seconds := run[2])
    ]
    return statistics.median(per_byte) if per_byte else 0.0


def note_time(cache: str, files: int, size_bytes: int, seconds: float, *, fetched: bool) -> None:
    """Learn from wheels that were unpacked and compiled, and `fetched` before or not."""
    if files and size_bytes:
        runs = [*_read(cache, fetched=fetched), (files, size_bytes, seconds)]
        write_cached(_place(cache, fetched=fetched), msgspec.msgpack.encode(runs[-MOST_KEPT:]))


def _mean_bytes(run: _Run) -> float:
    """Return the bytes of a run that count as much as one file: a file costs something however small it is."""
    return max(run[1] / run[0], 1.0)


def _is_comparable(known: float, asked: float) -> bool:
    return asked > 0 and known / COMPARABLE <= asked <= known * COMPARABLE


def _read(cache: str, *, fetched: bool) -> Sequence[_Run]:
    try:
        with open(_place(cache, fetched=fetched), "rb") as file:
            return msgspec.msgpack.decode(file.read(), type=list[_Run])
    except (OSError, msgspec.MsgspecError):
        return []


def _place(cache: str, *, fetched: bool) -> str:
    return join(cache, f"times-of-{'fetching' if fetched else 'unpacking'}")
