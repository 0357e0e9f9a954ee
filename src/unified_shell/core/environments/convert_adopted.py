"""Taking charge of an adopted environment, so that it can be changed: it becomes one of ours, and its folder a link to it.

The folder as it was is kept out of sight, whole, until what undo needs is let go of.
"""

import os
from collections.abc import Callable

from msgspec.structs import replace

from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import DropRecord, RetireTree, Step
from unified_shell.core.environments.model.adopted import ADOPTED, records_file
from unified_shell.core.environments.model.layout import link_place
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.environments.trees.store_filling import FetchWheel
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, shown, to_json_text, to_record_text

from .copying import Source, copied, copied_contents

__all__ = ["plan_take_charge"]


def plan_take_charge(
    environment: Environment,
    source: Source,
    host: Host,
    locations: Locations,
    *,
    fetch: FetchWheel,
    progress: Callable[[str], None] = lambda _phase: None,
) -> Change:
    """Plan to make an adopted environment one of ours, under its name; `source` is what is in its folder."""
    name, folder = environment.name, environment.prefix
    prefix = link_place(locations.data, name)
    contents = replace(copied_contents(source, name, source.base), replaced=folder)
    prepare_copy = copied(source, contents, source.base, host, locations, fetch=fetch, progress=progress)

    def prepare(staging: Place) -> tuple[Step, ...]:
        return (
            *prepare_copy(staging),
            DropRecord(
                path=records_file(locations), keys=(ADOPTED, name), before=to_json_text(to_record_text(folder))
            ),
            RetireTree(target=folder, retired=_out_of_sight(folder, staging, locations), instead=prefix),
        )

    there = shown(folder, host.home)
    lines = [
        plan_line(
            LineKind.CHANGE,
            About.ENVIRONMENT_REBUILT,
            name=name,
            prefix=prefix,
            distributions=len(source.distributions),
        ),
        plan_line(LineKind.CHANGE, About.BECOMES_LINK, folder=folder),
    ]
    if source.extras:
        lines.append(
            plan_line(LineKind.NOTE, About.UNOWNED_CARRIED, files=tuple(source.extras), in_full=tuple(source.extras))
        )
    plan = Plan(
        aim=f"Allow changes to the adopted environment {name}",
        lines=tuple(lines),
        afterwards=(f"The tool that made {there} should not change it any more.",),
    )
    return change_of(plan, prepare=prepare)


def _out_of_sight(folder: Place, staging: Place, locations: Locations) -> Place:
    """Return where the old folder goes: on its own file system, so that it is one rename."""
    mark = os.path.basename(staging)
    above = os.path.dirname(folder)
    if os.stat(above).st_dev == os.stat(locations.data).st_dev:
        return join(locations.data, "retired", f"{mark}-{os.path.basename(folder)}")
    return join(above, f".{os.path.basename(folder)}-{mark}")
