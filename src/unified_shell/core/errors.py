"""What can go wrong, named by its cause.

    UshError
    ├── UsageError            exit 2: the call's words are off
    │   └── UnknownName
    ├── Refused             exit 3: protected, consent missing, undo would lose a later change
    │   └── UndoRefused
    ├── CouldNot            exit 4: network, disk, permission, build; nothing was changed
    │   ├── TransferFailed
    │   │   └── TransferStopped
    │   ├── HashDiffers
    │   ├── ArchiveBroken
    │   ├── WheelBroken
    │   ├── DescriptionBroken
    │   ├── BuildFailed
    │   ├── NoSolution
    │   └── InterpreterUnusable
    ├── PutBack             exit 5: was changed and put back
    └── Unfinished          exit 6: begun, neither finished nor put back; the next changing call does

Programming mistakes are not in this tree; they end in a traceback in the log file.
"""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .next_steps import NextStep

__all__ = [
    "ArchiveBroken",
    "BuildFailed",
    "CouldNot",
    "DescriptionBroken",
    "HashDiffers",
    "InterpreterUnusable",
    "NoSolution",
    "PutBack",
    "Refused",
    "TransferFailed",
    "TransferStopped",
    "UndoRefused",
    "Unfinished",
    "UnknownName",
    "UsageError",
    "UshError",
    "WheelBroken",
    "nearest",
    "os_error_reason",
    "os_error_text",
]


class UshError(Exception):
    """A fault that a person can act on: what is wrong, where, and what to type next.

    With `again_with` or `again_without` that is the call itself, with more words or without some; `next_step` then
    follows it. `instead` are words of the call with what may stand for each; where one of them was not typed, `next_step`
    alone is told.
    """

    exit_code = 4

    def __init__(
        self,
        message: str,
        *,
        where: str = "",
        next_step: "NextStep" = "",
        again_with: Sequence[str] = (),
        again_without: Sequence[str] = (),
        instead: Sequence[tuple[str, str]] = (),
    ) -> None:
        super().__init__(message)
        self.instead = tuple(instead)
        self.again_with = tuple(again_with)
        self.again_without = tuple(again_without)
        self.message = message
        self.where = where
        self.next_step = next_step

    def __str__(self) -> str:
        return self.message if not self.where else f"{self.message} ({self.where})"


class UsageError(UshError):
    """The words of the call do not make sense."""

    exit_code = 2


class UnknownName(UsageError):
    """A name that is not known; the nearest known one is suggested."""

    def __init__(self, kind: str, name: str, known: Iterable[str], *, next_step: "NextStep" = "") -> None:
        near = nearest(name, known)
        hint = f"Did you mean {near}?" if near else ""
        super().__init__(f"there is no {kind} named {name!r}", where=hint, next_step=next_step)
        self.name = name

    def __str__(self) -> str:
        return f"{self.message}. {self.where}" if self.where else self.message


class Refused(UshError):
    """It could be done, but must not be without more: a consent, a right, a decision."""

    exit_code = 3


class UndoRefused(Refused):
    """Taking a change back would lose somebody's later change."""


class CouldNot(UshError):
    """The machine, the network or a file did not allow it; nothing was changed."""


class TransferFailed(CouldNot):
    """Bytes did not arrive."""


class TransferStopped(TransferFailed):
    """A transfer was ended by us: it passed a bound, and going on or trying again would pass it again."""


class HashDiffers(CouldNot):
    """What arrived is not what was promised."""


class ArchiveBroken(CouldNot):
    """An archive is damaged, or holds what no archive may."""


class WheelBroken(CouldNot):
    """A wheel does not follow the standard in a way that matters."""


class DescriptionBroken(CouldNot):
    """A catalog or a description has mistakes; all of them are told, with their lines."""


class BuildFailed(CouldNot):
    """Something could not be built; its last useful lines are told, the log holds the rest."""


class NoSolution(CouldNot):
    """No set of versions satisfies all requests, or the search gave up."""


class InterpreterUnusable(CouldNot):
    """An interpreter is missing, does not start, or is not fit for the purpose."""


class PutBack(UshError):
    """It was changed, found wanting, and put back."""

    exit_code = 5


class Unfinished(UshError):
    """A change was begun and could be neither finished nor put back; the next changing call finishes it."""

    exit_code = 6


def os_error_text(error: OSError) -> str:
    """Say an error of the operating system in a sentence's words, with the file it is about."""
    name = error.filename2 or error.filename
    return f"{name}: {os_error_reason(error)}" if name else os_error_reason(error)


def os_error_reason(error: OSError) -> str:
    """Say an error of the operating system in a sentence's words, for a sentence that names the file itself."""
    return (error.strerror or str(error)).lower()


def nearest(name: str, known: Iterable[str], *, likeness: float = 0.6) -> str:
    """Return the known name most like `name`, or an empty text. A `likeness` of 1 admits the same name only."""
    import difflib

    by_lower = {one.lower(): one for one in known}
    close = difflib.get_close_matches(name.lower(), by_lower, n=1, cutoff=likeness)
    return by_lower[close[0]] if close else ""
