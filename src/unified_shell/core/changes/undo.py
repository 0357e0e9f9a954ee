"""Taking a change back, by the same road: a change whose steps are the inverse ones."""

import os
from collections.abc import Callable, Sequence

from unified_shell.core.errors import UndoRefused, WordsOff
from unified_shell.core.findings import Finding
from unified_shell.core.machine.places import shown

from .journal import Entry, EntryState
from .plan import Change, LineKind, Plan, PlanLine
from .road import Road, is_of_here, retired_place
from .steps import (
    DropBlock,
    DropRecord,
    FlipLink,
    PlaceTree,
    PutBlock,
    PutRecord,
    ReplaceFile,
    RetireTree,
    Step,
    StepState,
)

__all__ = ["describe", "is_standing", "later_dependants", "newest_standing", "undo_change"]

# So many are looked at before all are.
FEW = 50
Derive = Callable[[Sequence[Step]], tuple[Step, ...]]


def undo_change(
    road: Road,
    number: int | None,
    *,
    home: str,
    derive: Derive,
    verify: Callable[[], tuple[Finding, ...]] = tuple,
) -> Change:
    """Return the change that takes back entry `number`, or the newest one that stands.

    `derive` is given the inverse steps and returns those that make derived files anew. Raises UndoRefused
    where a later change wrote the same object or somebody edited what would be taken back.
    """
    entry = _chosen(road, number)
    later = later_dependants(road, entry)
    if later:
        names = ", ".join(f"{one.number} ({one.words})" for one in later)
        raise UndoRefused(
            f"later changes build on change {entry.number}: {names}",
            next_step=f"ush undo {entry.number} --through   (takes those back as well)",
        )
    steps = _inverse_steps(road, entry)
    steps += derive(steps)
    return Change(
        plan=Plan(
            words=f"undo {entry.number}",
            aim=f"Take back change {entry.number}: {entry.words}",
            lines=_lines(steps, home),
            undoes=entry.number,
            nothing_to_do="" if steps else f"nothing of change {entry.number} is left to take back",
        ),
        prepare=lambda _staging: steps,
        verify=verify,
    )


def newest_standing(road: Road) -> Entry | None:
    """Return the newest change that is neither taken back nor itself a taking back."""
    for most in (FEW, None):
        found = next((one for one in road.journal.standing_candidates(newest=most) if is_standing(road, one)), None)
        if found is not None:
            return found
    return None


def is_standing(road: Road, entry: Entry) -> bool:
    """Tell whether a change is in force: done, and not taken back by one that is itself in force."""
    if entry.state is not EntryState.DONE:
        return False
    return not any(is_standing(road, later) for later in road.journal.undone_by(entry.number))


def later_dependants(road: Road, entry: Entry) -> tuple[Entry, ...]:
    """Return the later changes in force, newest first, that wrote or rely on what this one wrote."""
    wrote = set(entry.objects)
    standing = []
    for one in road.journal.entries_after(entry.number):
        # A taking back, or a doing again, wrote only what its own original wrote.
        if one.undoes or not is_standing(road, one):
            continue
        if wrote & {*one.objects, *one.relies_on}:
            standing.append(one)
    return tuple(standing)


def describe(step: Step, home: str) -> PlanLine:
    """Return the plan's line for one step."""
    match step:
        case PutBlock(path=path):
            return PlanLine(kind=LineKind.EDIT, subject=f"{shown(path, home)}: put the hook-up in")
        case DropBlock(path=path):
            return PlanLine(
                kind=LineKind.EDIT, subject=f"{shown(path, home)}: take the hook-up out, and nothing else"
            )
        case PutRecord(keys=keys):
            return PlanLine(kind=LineKind.ADD, subject=" ".join(shown(key, home) for key in keys))
        case DropRecord(keys=keys):
            return PlanLine(kind=LineKind.REMOVE, subject=" ".join(shown(key, home) for key in keys))
        case FlipLink(after=""):
            return PlanLine(kind=LineKind.REMOVE, subject=step.object_name)
        case FlipLink(before=""):
            return PlanLine(kind=LineKind.ADD, subject=step.object_name)
        case FlipLink(before=before, after=after):
            return PlanLine(
                kind=LineKind.CHANGE,
                subject=step.object_name,
                detail=f"edition {os.path.basename(before)} → {os.path.basename(after)}",
            )
        case PlaceTree(target=target):
            return PlanLine(kind=LineKind.ADD, subject=shown(target, home))
        case RetireTree(target=target):
            return PlanLine(kind=LineKind.REMOVE, subject=shown(target, home))
        case _:
            return PlanLine(kind=LineKind.CHANGE, subject=step.object_name)


def _lines(steps: Sequence[Step], home: str) -> tuple[PlanLine, ...]:
    """Return the plan's lines. A tree whose link is flipped needs no line of its own."""
    linked = any(isinstance(step, FlipLink) for step in steps)
    told = [step for step in steps if not (linked and isinstance(step, PlaceTree | RetireTree))]
    return tuple(describe(step, home) for step in told if step.object_name)


def _chosen(road: Road, number: int | None) -> Entry:
    entry = newest_standing(road) if number is None else road.journal.find(number)
    if entry is None:
        what = "there is no change to take back" if number is None else f"there is no change {number}"
        raise WordsOff(what, next_step="ush journal")
    if not is_of_here(entry, road):
        raise UndoRefused(
            f"change {entry.number} was made by the ush of another place, of which this is a copy: undoing it would"
            f" change the files there",
            where=os.path.dirname(entry.staging),
            next_step="ush journal",
        )
    if not is_standing(road, entry):
        raise WordsOff(f"change {entry.number} is not in force: {entry.words}", next_step="ush journal")
    if not entry.undoable:
        raise UndoRefused(f"what undoing change {entry.number} needs was trimmed", next_step="ush journal")
    return entry


def _inverse_steps(road: Road, entry: Entry) -> tuple[Step, ...]:
    found: list[Step] = []
    for at, step in reversed(list(enumerate(road.journal.steps(entry.number)))):
        if isinstance(step, ReplaceFile) and step.derived:
            continue
        back = step.inverse(retired_place(road.locations, entry.number, at))
        match back.state():
            case StepState.BEFORE:
                found.append(back)
            case StepState.OTHER if isinstance(back, PutRecord | DropRecord) and back.derived:
                continue
            case StepState.OTHER:
                raise UndoRefused(
                    f"{step.object_name} was edited since change {entry.number}; undoing it would lose that",
                    next_step="put the lines back as they were, or keep the change",
                )
            case StepState.AFTER:  # somebody took it back by hand already
                continue
    return tuple(found)
