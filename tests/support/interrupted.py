# Run as: PYTHON interrupted.py FILE FUNCTION WORK. Does the work again and again, interrupted at its first, second, ...
# line of the function; says how each went, and ends by itself where one hangs.
import faulthandler
import importlib
import signal
import sys
from collections.abc import Callable
from types import FrameType
from typing import Any

from unified_shell.core.machine import clock, interrupts
from unified_shell.core.machine.processes import processes

MOMENTS = 24
HANGS_SECONDS = 10.0
WORKS: dict[str, Callable[[], object]] = {
    "program": lambda: processes.run_program(["sleep", "0.2"], environment={"PATH": "/bin"}, timeout_seconds=30),
    "pause": lambda: clock.pause(0.05),
}


def interrupted(file: str, function: str, moment: int, work: Callable[[], object]) -> str:
    """Return `interrupted`, or `not interrupted`, for an interrupt at the nth line of a function."""
    left = moment

    def trace(frame: FrameType, event: str, _: object) -> Any:
        nonlocal left
        if frame.f_code.co_name != function or not frame.f_code.co_filename.endswith(file):
            return None
        left -= event == "line"
        if left == 0:
            sys.settrace(None)
            frame.f_trace = None
            signal.raise_signal(signal.SIGINT)
        return trace

    importlib.reload(interrupts)
    signal.signal(signal.SIGINT, signal.default_int_handler)
    interrupts.note_interrupts()
    sys.settrace(trace)
    try:
        work()
    except KeyboardInterrupt:
        return "interrupted"
    finally:
        sys.settrace(None)
    return "not interrupted" if left <= 0 else "never came"


for moment in range(1, MOMENTS + 1):
    faulthandler.dump_traceback_later(HANGS_SECONDS, exit=True)
    print(moment, interrupted(sys.argv[1], sys.argv[2], moment, WORKS[sys.argv[3]]), flush=True)
