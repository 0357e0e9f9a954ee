"""Taking a change back, by the same executor: a change whose steps are the inverse ones."""

import os
from collections.abc import Callable, Sequence

from unified_shell.core.errors import UndoRefused, UsageError
from unified_shell.core.findings import Finding
from unified_shell.core.next_steps import ush

from .executor import Executor, is_of_here, retired_place
from .journal import Entry, EntryState
from .plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
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
    first_on_each,
    follows,
)

__all__ = ["describe", "is_standing", "later_dependants", "newest_standing", "undo_change"]

# So many are looked at before all are.
FEW = 50
Derive = Callable[[Sequence[Step]], tuple[Step, ...]]


def undo_change(
    executor: Executor,
    number: int | None,
    *,
    derive: Derive,
    through: bool = False,
    verify: Callable[[], tuple[Finding, ...]] = tuple,
) -> Change:
    """Return the change that takes back entry `number`, or the newest one that stands; with `through`, the later ones
    that build on it as well, as one change.

    `derive` is given the inverse steps and returns those that make derived files anew. Raises UndoRefused
    where a later change wrote the same object or somebody edited what would be taken back.
    """
    entry = _chosen(executor, number)
    later = later_dependants(executor, entry)
    if later and not through:
        names = ", ".join(f"{one.number} ({one.words})" for one in later)
        raise UndoRefused(
            f"later changes build on change {entry.number}: {names}",
            next_step=ush(
                "undo", str(entry.number), "--through", *executor.locations.scope_words, why="undoes those as well"
            ),
        )
    for one in later:
        _check_undoable(one)
    steps: list[Step] = []
    for one in (*later, entry):
        _add_inverse_steps(executor, one, steps)
    steps += derive(steps)
    return change_of(
        Plan(
            aim=f"Undo {_named((*later, entry))}",
            lines=(*(_undone_line(one) for one in (*later, entry) if later), *_lines(steps)),
            undoes=entry.number,
            undoes_too=tuple(one.number for one in later),
            nothing_to_do="" if steps else f"nothing of change {entry.number} is left to undo",
        ),
        prepare=lambda _staging: tuple(steps),
        verify=verify,
    )


def _named(entries: Sequence[Entry]) -> str:
    if len(entries) == 1:
        return f"change {entries[0].number}: {entries[0].words}"
    numbers = [str(one.number) for one in entries]
    return f"{len(entries)} changes: {', '.join(numbers[:-1])} and {numbers[-1]}"


def _undone_line(entry: Entry) -> PlanLine:
    return plan_line(LineKind.REMOVE, About.CHANGE, number=entry.number, words=entry.words)


def newest_standing(executor: Executor) -> Entry | None:
    """Return the newest change that is neither taken back nor itself a taking back."""
    for most in (FEW, None):
        found = next(
            (one for one in executor.journal.standing_candidates(newest=most) if is_standing(executor, one)), None
        )
        if found is not None:
            return found
    return None


def is_standing(executor: Executor, entry: Entry) -> bool:
    """Tell whether a change is in force: done, and not taken back by one that is itself in force."""
    if entry.state is not EntryState.DONE:
        return False
    return not any(is_standing(executor, later) for later in executor.journal.undone_by(entry.number))


def later_dependants(executor: Executor, entry: Entry) -> tuple[Entry, ...]:
    """Return the later changes in force, newest first, that wrote or rely on what this one wrote, or one of them."""
    wrote = set(entry.objects)
    standing: list[Entry] = []
    for one in reversed(executor.journal.entries_after(entry.number)):
        # A taking back, or a doing again, wrote only what its own original wrote.
        if one.undoes or not is_standing(executor, one):
            continue
        if wrote & {*one.objects, *one.relies_on}:
            wrote.update(one.objects)
            standing.insert(0, one)
    return tuple(standing)


def describe(step: Step) -> PlanLine:
    """Return the plan's line for one step."""
    match step:
        case PutBlock(path=path):
            return plan_line(LineKind.EDIT, About.HOOK_UP, file=path, alone=True)
        case DropBlock(path=path):
            return plan_line(LineKind.EDIT, About.HOOK_UP_REMOVED, file=path, alone=True)
        case PutRecord(keys=keys):
            return plan_line(LineKind.ADD, About.RECORD, keys=tuple(keys))
        case DropRecord(keys=keys):
            return plan_line(LineKind.REMOVE, About.RECORD, keys=tuple(keys))
        case FlipLink(after=""):
            return plan_line(LineKind.REMOVE, About.OBJECT, object=step.object_name)
        case FlipLink(before=""):
            return plan_line(LineKind.ADD, About.OBJECT, object=step.object_name)
        case FlipLink(before=before, after=after):
            return plan_line(
                LineKind.CHANGE,
                About.OBJECT,
                object=step.object_name,
                before=os.path.basename(before),
                after=os.path.basename(after),
            )
        case PlaceTree(target=target):
            return plan_line(LineKind.ADD, About.FILE, file=target)
        case RetireTree(target=target):
            return plan_line(LineKind.REMOVE, About.FILE, file=target)
        case ReplaceFile(path=path, before=before, after=after):
            kind = LineKind.ADD if before is None else LineKind.REMOVE if after is None else LineKind.CHANGE
            return plan_line(kind, About.FILE, file=path)
        case _:
            return plan_line(LineKind.CHANGE, About.OBJECT, object=step.object_name)


def _lines(steps: Sequence[Step]) -> tuple[PlanLine, ...]:
    """Return the plan's lines. A tree to which a flipped link leads, or led, needs no line of its own."""
    linked = {
        os.path.normpath(os.path.join(os.path.dirname(step.link), place))
        for step in steps
        if isinstance(step, FlipLink)
        for place in (step.before, step.after)
        if place
    }
    told = [step for step in steps if not (isinstance(step, PlaceTree | RetireTree) and step.target in linked)]
    lines: list[PlanLine] = []
    for line in (describe(step) for step in _joined(told) if step.object_name):
        # A command is a link and a record: one line for both.
        if line not in lines:
            lines.append(line)
    return tuple(lines)


def _joined(steps: Sequence[Step]) -> list[Step]:
    """Return the steps with those on one link as one, from where it leads to where it will lead."""
    joined: list[Step] = []
    flips: dict[str, int] = {}
    for step in steps:
        if not isinstance(step, FlipLink):
            joined.append(step)
            continue
        at = flips.setdefault(step.link, len(joined))
        first = joined[at] if at < len(joined) else step
        joined[at : at + 1] = [FlipLink(link=step.link, before=first.before, after=step.after)]  # type: ignore[attr-defined]
    return joined


def _chosen(executor: Executor, number: int | None) -> Entry:
    entry = newest_standing(executor) if number is None else executor.journal.find(number)
    if entry is None:
        what = "there is no change to undo" if number is None else f"there is no change {number}"
        raise UsageError(what, next_step=ush("journal"))
    if not is_of_here(entry, executor):
        raise UndoRefused(
            f"change {entry.number} was made by the ush of another place, of which this is a copy: undoing it would"
            f" change the files there",
            where=os.path.dirname(entry.staging),
            next_step=ush("journal"),
        )
    if not is_standing(executor, entry):
        raise UsageError(f"change {entry.number} is not in force: {entry.words}", next_step=ush("journal"))
    _check_undoable(entry)
    return entry


def _check_undoable(entry: Entry) -> None:
    if not entry.undoable:
        raise UndoRefused(
            f"change {entry.number} is too old to undo: what undo needs was removed", next_step=ush("journal")
        )


def _add_inverse_steps(executor: Executor, entry: Entry, found: list[Step]) -> None:
    """Add what takes one change back to the steps that take later ones back."""
    for at, step in reversed(list(enumerate(executor.journal.steps(entry.number)))):
        if isinstance(step, ReplaceFile) and step.derived:
            continue
        back = step.inverse(retired_place(executor.locations, entry.number, at))
        match _state_after(back, found):
            case StepState.BEFORE:
                found.append(back)
            case StepState.OTHER if isinstance(back, PutRecord | DropRecord) and back.derived:
                continue
            case StepState.OTHER:
                raise UndoRefused(
                    f"{step.object_name} was edited since change {entry.number}; undoing it would lose that",
                    next_step="restore the lines as they were, or keep the change",
                )
            case StepState.AFTER:  # somebody took it back by hand already
                continue


def _state_after(back: Step, earlier: Sequence[Step]) -> StepState:
    """Look which side of a step the machine will be on, once earlier ones have been done."""
    fits = follows(back, earlier)
    if fits is None:
        written_before = len(first_on_each((*earlier, back))) == len(first_on_each(earlier))
        return StepState.BEFORE if written_before else back.state()
    return StepState.BEFORE if fits else StepState.OTHER
