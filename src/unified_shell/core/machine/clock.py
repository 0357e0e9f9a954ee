"""The clock: wall time for records, a steady one for durations."""

import datetime
import time

__all__ = ["now_seconds", "pause", "shown_time", "steady_seconds"]


def now_seconds() -> float:
    """Return seconds since 1970, UTC."""
    return time.time()


def steady_seconds() -> float:
    """Return seconds of a clock that never jumps; only differences have meaning."""
    return time.monotonic()


def pause(seconds: float) -> None:
    """Wait."""
    time.sleep(seconds)


def shown_time(seconds: float) -> str:
    """Return local time as `2026-05-01 14:03:22`."""
    moment = datetime.datetime.fromtimestamp(seconds, tz=datetime.UTC).astimezone()
    return moment.strftime("%Y-%m-%d %H:%M:%S")
