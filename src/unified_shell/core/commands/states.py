"""The states that a name can be found in, worst last."""

from enum import Enum

__all__ = ["State"]


class State(Enum):
    """What a command or module is found to be."""

    READY = "ready"
    SHADOWED = "shadowed"
    HIDDEN = "hidden"
    STALE = "stale"
    MISMATCHED = "mismatched"
    BROKEN = "broken"
    ABSENT = "absent"

    @property
    def meaning(self) -> str:
        """Say it in a person's words."""
        return {
            State.READY: "starts in this session",
            State.SHADOWED: "another command of that name is found first",
            State.HIDDEN: "on this machine, but not on this session's search path",
            State.STALE: "new sessions start another file than this one",
            State.MISMATCHED: "made for another kind of machine",
            State.BROKEN: "found, but cannot be started",
            State.ABSENT: "not found on this machine",
        }[self]
