"""Which side of a step the machine is on."""

from enum import Enum

__all__ = ["StepState"]


class StepState(Enum):
    """What a step finds."""

    BEFORE = "not done yet"
    AFTER = "done"
    OTHER = "changed by somebody else"
