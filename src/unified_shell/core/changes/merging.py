"""Several changes as one: their lines, their steps in order, their checks."""

from msgspec.structs import replace

from unified_shell.core.machine.places import Place

from .plan import Change, Prepared

__all__ = ["merged"]


def merged(first: Change, *others: Change) -> Change:
    """Return one change of several; it keeps the words and the aim of the first. Those with nothing to do are left out."""
    more = [one for one in others if not one.plan.nothing_to_do]
    if not more:
        return first
    every = (first, *more)
    plan = replace(
        first.plan,
        lines=tuple(line for one in every for line in one.plan.lines),
        relies_on=tuple(dict.fromkeys(name for one in every for name in one.plan.relies_on)),
        download_bytes=sum(one.plan.download_bytes for one in every),
        disk_bytes=sum(one.plan.disk_bytes for one in every),
        afterwards=tuple(line for one in every for line in one.plan.afterwards),
    )

    def prepare(staging: Place) -> Prepared:
        prepared = [one.prepare(staging) for one in every]
        return Prepared(
            steps=tuple(step for one in prepared for step in one.steps),
            verify=lambda: tuple(finding for one in prepared for finding in one.verify()),
        )

    return Change(plan=plan, prepare=prepare)
