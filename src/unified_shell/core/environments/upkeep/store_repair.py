"""Mending what is not as it was stored or recorded: in the store and all that share it, or in one environment."""

import os
from collections.abc import Callable, Sequence

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, PlanLine, change_of, plan_line
from unified_shell.core.changes.steps import Step
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment, every_environment
from unified_shell.core.environments.packages.renewal import Renewer, one_after_another, sharer_lines
from unified_shell.core.environments.trees.next_edition import proof_of_start
from unified_shell.core.environments.trees.recorded_files import AlteredFile, altered_files, edited_and_lost
from unified_shell.core.findings import Finding
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.files.digests import Sha256
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.store.contents import Store

from .store_usage import StoreEntry, unlike_stored

__all__ = ["plan_mend", "plan_mend_environments"]

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
    using = {name for one in damaged for name in one.used_by}
    environments = [one for one in every_environment(locations) if one.name in using]
    makers = one_after_another(
        [
            Renewer(client=client, host=host, locations=locations, progress=progress).as_recorded(one)
            for one in environments
        ]
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        for one in damaged:
            # A file of the right size and time is not told from a good one: the whole content goes.
            os.rename(join(Store(locations.data).top, one.sha256), join(staging, f"damaged-{one.sha256}"))
        return makers(staging)

    plan = Plan(
        aim="Repair modified store entries",
        lines=(
            *(
                plan_line(
                    LineKind.CHANGE,
                    About.STORE_ENTRY,
                    title=one.title,
                    files=tuple(one.damaged),
                    users=tuple(one.used_by),
                    unused=not one.used_by,
                )
                for one in damaged
            ),
            *(plan_line(LineKind.CHANGE, About.NEXT_EDITION, name=one.name) for one in environments),
        ),
        relies_on=tuple(f"environment {one.name}" for one in environments),
        nothing_to_do="" if damaged else "no store entry was modified",
    )
    return change_of(plan, prepare=prepare, verify=lambda: _starts(environments, host))


def plan_mend_environments(
    environments: Sequence[Environment],
    client: IndexClient,
    host: Host,
    locations: Locations,
    *,
    thorough: bool = False,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan the next edition, as recorded, of each of these environments in which a file is edited or gone.

    What is edited in the store too is mended in all that share it.
    """
    altered = {one.name: altered_files(one, thorough=thorough) for one in environments}
    wanting = [one for one in environments if altered[one.name] and not one.foreign]
    damaged = [sha256 for one in wanting for sha256 in _damaged_contents(one, altered[one.name], locations)]
    renewer = Renewer(client=client, host=host, locations=locations, progress=progress)
    sharers = renewer.sharers({one.name for one in wanting}, damaged)
    every = (*wanting, *(one for one in sharers if not one.protected))
    makers = one_after_another([renewer.as_recorded(one) for one in every])

    def prepare(staging: Place) -> tuple[Step, ...]:
        for sha256 in dict.fromkeys(damaged):
            os.rename(join(Store(locations.data).top, sha256), join(staging, f"damaged-{sha256}"))
        return makers(staging)

    plan = Plan(
        aim=f"Mend {', '.join(one.name for one in wanting)}",
        lines=(
            *(_restored_line(one, altered[one.name]) for one in wanting),
            *sharer_lines(sharers),
        ),
        relies_on=tuple(f"environment {one.name}" for one in every),
        nothing_to_do="" if wanting else "all files are as recorded",
    )
    return change_of(plan, prepare=prepare, verify=lambda: _starts(every, host))


def _damaged_contents(
    environment: Environment, altered: Sequence[AlteredFile], locations: Locations
) -> tuple[Sha256, ...]:
    """Return the contents of altered distributions that are not in the store as they were put there, compared in full."""
    projects = {one.project for one in altered}
    store, found = Store(locations.data), []
    for one in environment.contents.distributions:
        content = store.read(one.sha256) if one.name in projects else None
        if content is not None and unlike_stored(content, thorough=True):
            found.append(one.sha256)
    return tuple(found)


def _starts(environments: Sequence[Environment], host: Host) -> tuple[Finding, ...]:
    return tuple(proof_of_start(one.prefix, base_of(one, host), host) for one in environments)


def _restored_line(environment: Environment, altered: Sequence[AlteredFile]) -> PlanLine:
    edited, lost = edited_and_lost(altered)
    paths = tuple(file.path for file in altered)
    name = environment.name
    return plan_line(LineKind.CHANGE, About.ENVIRONMENT_RESTORED, name=name, edited=edited, lost=lost, in_full=paths)
