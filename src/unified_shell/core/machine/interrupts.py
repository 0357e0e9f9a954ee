"""Interrupts that are not lost.

The interpreter raises KeyboardInterrupt in whatever the main thread is doing. Where that is a callback whose
errors are ignored, such as one of the import system's, it is gone; where it waits for a pool, the pool's threads
know nothing of it. So it is noted too, and whoever waits for a program asks.
"""

import signal
import threading
from types import FrameType

__all__ = ["note_interrupts", "raise_if_interrupted"]

_noted = threading.Event()


def note_interrupts() -> None:
    """From here on note each interrupt, beside raising KeyboardInterrupt."""
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _note)


def raise_if_interrupted() -> None:
    """Raise KeyboardInterrupt where one was noted, in any thread."""
    if _noted.is_set():
        raise KeyboardInterrupt


def _note(_number: int, _frame: FrameType | None) -> None:
    _noted.set()
    raise KeyboardInterrupt
