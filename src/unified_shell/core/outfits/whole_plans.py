"""All that a machine lacks of an outfit as one change, its interpreters too: one plan, one consent, one entry to undo."""

import contextlib
from typing import NoReturn

from msgspec.structs import replace

from unified_shell.core.changes.early_places import standing_early
from unified_shell.core.changes.executor import PlanMoved
from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, PlanLine, Prepared
from unified_shell.core.changes.steps import PlaceTree
from unified_shell.core.errors import CouldNot
from unified_shell.core.findings import Finding
from unified_shell.core.interpreters.managed import ORIGIN_FILE, managed_in
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush

from .coming_interpreters import ComingInterpreter, settle_interpreters, with_come
from .equip_plan import plan_equip
from .equipping import Equipping
from .wanted_environments import prepared_apart

__all__ = ["plan_whole"]


def plan_whole(equipping: Equipping) -> Change:
    """Plan all that the machine lacks; raises CouldNot where an interpreter is nowhere to be had."""
    ahead, coming = settle_interpreters(equipping)
    rest = plan_equip(ahead)
    if not coming:
        return rest
    trees = [prepared_apart(one.planned(), f"interpreter-{one.getting.name}") for one in coming]
    whole = merged(trees[0], *trees[1:], rest)
    afterwards = rest.plan.afterwards or whole.plan.afterwards
    return Change(
        plan=replace(whole.plan, aim=f"Equip this machine with {equipping.outfit.name}", afterwards=afterwards),
        prepare=lambda staging: _prepared(ahead, coming, trees, rest, staging),
    )


def _prepared(
    ahead: Equipping,
    coming: tuple[ComingInterpreter, ...],
    trees: list[Change],
    agreed: Change,
    staging: Place,
) -> Prepared:
    """Prepare the interpreters, then what stands on them, planned once more with what they say of themselves."""
    prepared = [one.prepare(staging) for one in trees]
    placed = [next(step for step in one.steps if isinstance(step, PlaceTree)) for one in prepared]
    come = [
        (one, here)
        for one, step in zip(coming, placed, strict=True)
        if (here := managed_in(step.staged, step.target)) is not None
    ]
    with contextlib.ExitStack() as standing:
        for step in placed:
            standing.enter_context(standing_early(step, staging, unlisted=ORIGIN_FILE))
        rest = plan_equip(with_come(ahead, come))
        if _told(rest) != _told(agreed):
            _raise_for_difference(ahead, agreed)
        if not rest.plan.nothing_to_do:
            prepared.append(rest.prepare(staging))

    def verify() -> tuple[Finding, ...]:
        return tuple(finding for one in prepared for finding in one.verify())

    return Prepared(steps=tuple(step for one in prepared for step in one.steps), verify=verify)


def _raise_for_difference(ahead: Equipping, agreed: Change) -> NoReturn:
    """Raise PlanMoved where the machine is another meanwhile; else it is the interpreter, and would be so each time: CouldNot."""
    if _told(plan_equip(ahead)) != _told(agreed):
        raise PlanMoved
    wanted = ahead.outfit.interpreter
    raise CouldNot(
        "the interpreter that was prepared needs another plan than the one that was shown; nothing was changed",
        where=ahead.place,
        next_step=ush(
            "interpreter", "get", wanted.language, *filter(None, (wanted.version,)), why="then equip again"
        ),
    )


def _told(change: Change) -> tuple[PlanLine, ...]:
    """Return what was agreed to; which of its names an interpreter is started by is known when it is here."""
    return tuple(one for one in change.plan.lines if one.about is not About.INTERPRETER)
