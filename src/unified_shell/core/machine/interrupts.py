"""Interrupts that are not lost.

The interpreter raises KeyboardInterrupt in whatever the main thread is doing. Where that is a callback whose
errors are ignored, such as one of the import system's, it is gone; where it waits for a pool, the pool's threads
know nothing of it. So it is noted too, and whoever waits for a program asks.
"""

import os
import signal
import threading
from types import FrameType

__all__ = [
    "interrupting_signal",
    "is_interrupted",
    "note_interrupts",
    "raise_if_interrupted",
    "wait_unless_interrupted",
]

# Whoever asks so often means it, even in the middle of a switch.
INSISTED = 5
_noted = threading.Event()
_count = 0
_number = 0


def note_interrupts() -> None:
    """From here on note each interrupt, beside raising KeyboardInterrupt; being asked to end is one too.

    So whatever is under way is put back, and what was started is ended, before this process is.
    """
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _note)
    for name in ("SIGTERM", "SIGHUP"):
        number = getattr(signal, name, None)
        if number is not None and signal.getsignal(number) is signal.SIG_DFL:
            signal.signal(number, _note)


def interrupting_signal() -> int:
    """Return the number of the signal that interrupted us; 0 for none."""
    return _number


def is_interrupted() -> bool:
    """Tell whether an interrupt was noted."""
    return _noted.is_set()


def raise_if_interrupted() -> None:
    """Raise KeyboardInterrupt where one was noted, in any thread."""
    if _noted.is_set():
        raise KeyboardInterrupt


def wait_unless_interrupted(seconds: float) -> None:
    """Wait, in any thread; raises KeyboardInterrupt as soon as one is noted."""
    _noted.wait(seconds)
    raise_if_interrupted()


def _note(number: int, _frame: FrameType | None) -> None:
    """Raise at the first interrupt alone: the ones after it must not break off the putting back and the last words.

    Who insists is let go at once; what is left then is for the next changing command, as after any kill.
    """
    global _count, _number  # noqa: PLW0603 - a signal has no other place to leave a mark
    _count += 1
    if _count >= INSISTED:
        os.write(2, b"ush: stopped at once; the next changing command tidies up\n")
        os._exit(130)
    if not _noted.is_set():
        _number = number
        _noted.set()
        raise KeyboardInterrupt
