"""The clock: wall time for records, a steady one for durations."""

import datetime
import time

from unified_shell.core.errors import UsageError

from .interrupts import wait_unless_interrupted

__all__ = ["end_of_day", "iso_time", "now_seconds", "pause", "shown_time", "steady_seconds"]


def now_seconds() -> float:
    """Return seconds since 1970, UTC."""
    return time.time()


def steady_seconds() -> float:
    """Return seconds of a clock that never jumps; only differences have meaning."""
    return time.monotonic()


def pause(seconds: float) -> None:
    """Wait; raises KeyboardInterrupt, in any thread, as soon as one is noted."""
    wait_unless_interrupted(seconds)


def shown_time(seconds: float) -> str:
    """Return local time as `2026-05-01 14:03:22`."""
    moment = datetime.datetime.fromtimestamp(seconds, tz=datetime.UTC).astimezone()
    return moment.strftime("%Y-%m-%d %H:%M:%S")


def iso_time(seconds: float) -> str:
    """Return a time in ISO 8601, UTC, as `2026-05-01T14:03:22.000000Z`."""
    return datetime.datetime.fromtimestamp(seconds, tz=datetime.UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def end_of_day(text: str) -> str:
    """Return the last moment of a day such as `2026-05-01` in ISO 8601, UTC; raises UsageError for what is none."""
    try:
        day = datetime.date.fromisoformat(text)
    except ValueError as error:
        raise UsageError(f"{text!r} is not a date", next_step="write it as 2026-05-01") from error
    return f"{day.isoformat()}T23:59:59.999999Z"
