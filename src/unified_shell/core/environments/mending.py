"""Mending what was written to through an environment: the store has it anew, and so has every environment that shares it."""

import os
from collections.abc import Callable, Sequence

from unified_shell.core.changes.plan import Change, LineKind, Plan, PlanLine
from unified_shell.core.changes.steps import Step
from unified_shell.core.findings import Finding
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.store.contents import Store

from .changing import base_of, next_edition, proof_of_start
from .known import find_environment
from .packages import refetching
from .store_usage import StoreEntry

__all__ = ["plan_mend"]

MOST_FILES = 3


def plan_mend(
    damaged: Sequence[StoreEntry],
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to have damaged contents anew, and the next edition of each environment that shares one of them."""
    lines = [PlanLine(kind=LineKind.CHANGE, subject=one.title, detail=_what(one)) for one in damaged]
    environments = [
        find_environment(name, host, locations) for name in sorted({n for one in damaged for n in one.used_by})
    ]
    lines += [
        PlanLine(kind=LineKind.CHANGE, subject=f"environment {one.name}", detail="its next edition")
        for one in environments
    ]
    bases = {one.name: base_of(one, host) for one in environments}
    fetch = refetching(client, locations)
    makers = [
        next_edition(
            one, one.contents.distributions, bases[one.name], fetch, host=host, locations=locations, progress=progress
        )
        for one in environments
    ]

    def prepare(staging: Place) -> tuple[Step, ...]:
        for one in damaged:
            # A file of the right size and time is not told from a good one: the whole content goes.
            os.rename(join(Store(locations.data).top, one.sha256), join(staging, f"damaged-{one.sha256}"))
        steps: list[Step] = []
        for number, make in enumerate(makers):
            own = join(staging, f"mended-{number}")
            os.makedirs(own)
            steps += make(own)
        return tuple(steps)

    def verify() -> tuple[Finding, ...]:
        return tuple(proof_of_start(one.prefix, bases[one.name], host) for one in environments)

    plan = Plan(
        words="store mend",
        aim="Mend what was written to in the store",
        lines=tuple(lines),
        relies_on=tuple(f"environment {one.name}" for one in environments),
        nothing_to_do="" if damaged else "nothing in the store was written to",
    )
    return Change(plan=plan, prepare=prepare, verify=verify)


def _what(one: StoreEntry) -> str:
    more = f" and {len(one.damaged) - MOST_FILES} more" if len(one.damaged) > MOST_FILES else ""
    by = f"; shared by {', '.join(one.used_by)}" if one.used_by else "; nothing uses it, it goes"
    return f"written to or gone: {', '.join(one.damaged[:MOST_FILES])}{more}{by}"
