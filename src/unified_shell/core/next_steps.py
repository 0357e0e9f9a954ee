"""What a person may type next, as data. It is quoted in one place, and the tests try it against the real command line."""

from msgspec import Struct

__all__ = ["Afterward", "Command", "Labelled", "NextStep", "ush"]


class Command(Struct, frozen=True):
    """A command line to type: its words, the program first, as they are; `why` says when, or what for.

    A word in capitals, such as REQUIREMENT, stands for what only the person knows.
    """

    words: tuple[str, ...]
    why: str = ""


# A command; advice that is no command; or several of both, with "or" or "then" between them.
NextStep = Command | str | tuple[Command | str, ...]


class Labelled(Struct, frozen=True):
    """A step with what it is for, such as `Enter it`."""

    label: str
    step: NextStep


# What a person reads when a change is done: a sentence, or a step with its label.
Afterward = str | Labelled


def ush(*words: str, why: str = "") -> Command:
    """Return a command line of ours."""
    return Command(words=("ush", *words), why=why)
