"""The closed set of steps. Rooms compose them and add none.

Each step knows the state before and after it, so that it can be done, found done, and turned round. Doing
one twice is doing it once. A step's `object_name` is what it writes; two changes that write the same object
depend on each other's order.
"""

from collections.abc import Iterable, Sequence
from enum import Enum
from typing import Protocol

from msgspec import Struct

from unified_shell.core.machine.places import Place, from_json_text, to_json_text

from .file_steps import DropBlock, PutBlock, ReplaceFile
from .record_steps import DropRecord, PutRecord
from .step_state import StepState
from .tree_steps import FlipLink, PlaceTree, RetireTree

__all__ = [
    "DropBlock",
    "DropRecord",
    "FlipLink",
    "PlaceTree",
    "PutBlock",
    "PutRecord",
    "ReplaceFile",
    "RetireTree",
    "Step",
    "StepKind",
    "StepState",
    "decode_step",
    "encode_step",
    "first_on_each",
    "follows",
    "kind_of",
]

FORMAT = 2


class Step(Protocol):
    """What every member of the closed set can do."""

    @property
    def object_name(self) -> str:
        """What it writes, as a person would name it; empty for what is derived from something else."""
        ...

    def state(self) -> StepState:
        """Look whether the state before or after it holds."""
        ...

    def carry_out(self) -> None:
        """Bring about the state after it; raises OSError."""
        ...

    def inverse(self, retire_to: Place) -> "Step":
        """Return the step that undoes it; a tree that must go out of sight goes to `retire_to`."""
        ...


class StepKind(Enum):
    """The names of the steps in the journal."""

    PLACE_TREE = "place tree"
    RETIRE_TREE = "retire tree"
    FLIP_LINK = "flip link"
    REPLACE_FILE = "replace file"
    PUT_BLOCK = "put block"
    DROP_BLOCK = "drop block"
    PUT_RECORD = "put record"
    DROP_RECORD = "drop record"


CLASSES: dict[StepKind, type[Step]] = {
    StepKind.PLACE_TREE: PlaceTree,
    StepKind.RETIRE_TREE: RetireTree,
    StepKind.FLIP_LINK: FlipLink,
    StepKind.REPLACE_FILE: ReplaceFile,
    StepKind.PUT_BLOCK: PutBlock,
    StepKind.DROP_BLOCK: DropBlock,
    StepKind.PUT_RECORD: PutRecord,
    StepKind.DROP_RECORD: DropRecord,
}


class _Stored(Struct, frozen=True):
    format: int
    kind: StepKind
    fields: dict[str, object]


def kind_of(step: Step) -> StepKind:
    """Return the step's name in the journal."""
    return next(kind for kind, cls in CLASSES.items() if isinstance(step, cls))


def first_on_each(steps: Iterable[Step]) -> list[Step]:
    """Return the steps that are the first of their change on what they write; later ones build on those."""
    first: dict[object, Step] = {}
    for step in steps:
        first.setdefault(_written(step), step)
    return list(first.values())


def follows(step: Step, earlier: Sequence[Step]) -> bool | None:
    """Tell whether a step finds what the last of some earlier ones on the same thing leaves; None where none of them
    writes it, or where only doing them shows it.
    """
    last = next((one for one in reversed(earlier) if _written(one) == _written(step)), None)
    if last is None or {type(last), type(step)} & {PutBlock, DropBlock}:
        return None
    return _sides(last)[1] == _sides(step)[0]


def _written(step: Step) -> object:
    """Return what a step writes, one value for all steps on the same thing."""
    match step:
        case PutRecord() | DropRecord():
            return (step.path, step.keys)
        case FlipLink():
            return step.link
        case PlaceTree() | RetireTree():
            return step.target
        case ReplaceFile() | PutBlock() | DropBlock():
            return step.path
    raise TypeError(step)


def _sides(step: Step) -> tuple[object, object]:
    """Return what is there before and after a step, as values that can be compared with another step's."""
    match step:
        case FlipLink() | ReplaceFile() | PutRecord():
            return step.before, step.after
        case DropRecord():
            return step.before, ""
        case PlaceTree():
            return "away", "there"
        case RetireTree():
            return "there", "away"
    raise TypeError(step)


def encode_step(step: Step) -> str:
    """Return the step as JSON text for the journal."""
    import msgspec

    fields = msgspec.to_builtins(step)
    return to_json_text({"format": FORMAT, "kind": kind_of(step).value, "fields": fields})


def decode_step(text: str) -> Step:
    """Return the step that the journal holds; raises ValueError for a later format."""
    import msgspec

    stored = msgspec.convert(from_json_text(text), _Stored)
    if stored.format > FORMAT:
        raise ValueError(f"a step of format {stored.format}, written by a newer version")
    return msgspec.convert(stored.fields, CLASSES[stored.kind])
