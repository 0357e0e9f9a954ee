"""How long filling an environment takes on this machine: learnt from the last times, told in plans."""

import msgspec

from unified_shell.core.machine.cached_files import write_cached
from unified_shell.core.machine.places import join

__all__ = ["expected_seconds", "note_time"]

# What is long past counts half as much each time.
FADING = 0.5


def expected_seconds(cache: str, size_bytes: int) -> float:
    """Return how long that many bytes of wheels are likely to take; 0 where nothing was learnt yet."""
    known_bytes, seconds = _read(cache)
    return size_bytes * seconds / known_bytes if known_bytes else 0.0


def note_time(cache: str, size_bytes: int, seconds: float) -> None:
    """Learn from wheels that were fetched, unpacked and compiled."""
    if size_bytes:
        known_bytes, before = _read(cache)
        told = (known_bytes * FADING + size_bytes, before * FADING + seconds)
        write_cached(_place(cache), msgspec.msgpack.encode(told))


def _read(cache: str) -> tuple[float, float]:
    try:
        with open(_place(cache), "rb") as file:
            return msgspec.msgpack.decode(file.read(), type=tuple[float, float])
    except (OSError, msgspec.MsgspecError):
        return 0.0, 0.0


def _place(cache: str) -> str:
    return join(cache, "times-of-filling")
