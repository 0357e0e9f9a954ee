"""Interrupts that are not lost.

The interpreter raises KeyboardInterrupt in whatever the main thread is doing. Where that is a callback whose
errors are ignored, such as one of the import system's, it is gone; where it waits for a pool, the pool's threads
know nothing of it. So it is noted too, and whoever waits for a program asks. And where it would leave a lock of the
standard library locked for ever, such as a started program's, it is held back until it is asked for.
"""

import contextlib
import os
import signal
import threading
from collections.abc import Iterator
from queue import Empty, SimpleQueue
from types import FrameType

__all__ = [
    "holding_interrupts",
    "interrupting_signal",
    "is_interrupted",
    "note_interrupts",
    "raise_if_interrupted",
    "wait_unless_interrupted",
]

# Whoever asks so often means it, even in the middle of a switch.
INSISTED = 5
_is_noted = False
_is_held = False
_count = 0
_number = 0
# Wakes whoever waits. Not an Event: its lock may be held by the very thread that the signal's handler runs in.
_wakes: "SimpleQueue[None]" = SimpleQueue()


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
    return _is_noted


def raise_if_interrupted() -> None:
    """Raise KeyboardInterrupt where one was noted, in any thread."""
    if _is_noted:
        raise KeyboardInterrupt


@contextlib.contextmanager
def holding_interrupts() -> Iterator[None]:
    """In the block an interrupt of the main thread is noted and not raised: the block asks `raise_if_interrupted`."""
    global _is_held  # noqa: PLW0603 - it is the process that is interrupted
    if threading.current_thread() is not threading.main_thread() or _is_held:
        yield
        return
    was_noted = _is_noted
    _is_held = True
    try:
        yield
    finally:
        _is_held = False
    if not was_noted:
        raise_if_interrupted()


def wait_unless_interrupted(seconds: float) -> None:
    """Wait, in any thread; raises KeyboardInterrupt as soon as one is noted."""
    if not _is_noted:
        with contextlib.suppress(Empty):
            _wakes.get(timeout=seconds)
            # Another may wait too.
            _wakes.put(None)
    raise_if_interrupted()


def _note(number: int, _frame: FrameType | None) -> None:
    """Raise at the first interrupt alone: the ones after it must not break off the putting back and the last words.

    Who insists is let go at once; what is left then is for the next changing command, as after any kill.
    """
    global _count, _is_noted, _number  # noqa: PLW0603 - a signal has no other place to leave a mark
    _count += 1
    if _count >= INSISTED:
        os.write(2, b"ush: stopped at once; the next changing command tidies up\n")
        os._exit(130)
    if not _is_noted:
        _number, _is_noted = number, True
        _wakes.put(None)
        if not _is_held:
            raise KeyboardInterrupt
