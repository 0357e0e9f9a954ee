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
            State.SHADOWED: "another one of that name is found first",
            State.HIDDEN: "it is on this machine, but on no search path of this session",
            State.STALE: "new sessions answer otherwise than this one",
            State.MISMATCHED: "it was made for another kind of machine",
            State.BROKEN: "it is found, but cannot be started",
            State.ABSENT: "it was found nowhere on this machine",
        }[self]
