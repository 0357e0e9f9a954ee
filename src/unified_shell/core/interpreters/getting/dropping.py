"""Dropping an interpreter managed by ush: what depends on it is named, and it goes only with consent."""

import os
from collections.abc import Sequence

from unified_shell.core.changes.merging import merged
from unified_shell.core.changes.plan import About, Change, LineKind, Plan, change_of, plan_line
from unified_shell.core.changes.steps import RetireTree, Step
from unified_shell.core.errors import Refused, UnknownName
from unified_shell.core.interpreters.managed import ManagedInterpreter, read_managed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join, lies_in
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.planning.search_paths import plan_path_drop
from unified_shell.core.shells.startup.own_shells import chosen_shells
from unified_shell.core.shells.wiring.wiring import read_wiring

__all__ = ["find_managed", "plan_drop"]


def find_managed(name: str, locations: Locations) -> ManagedInterpreter | None:
    """Return the interpreter of that name which was brought, or None."""
    return next((one for one in read_managed(locations) if one.name == name), None)


def plan_drop(name: str, dependants: Sequence[str], host: Host, locations: Locations, *, consent: bool) -> Change:
    """Plan to take an interpreter away, and its folders off the search paths.

    `dependants` say what works on it; raises Refused where there are any and nobody consented.
    """
    kept = find_managed(name, locations)
    if kept is None:
        raise UnknownName(
            "interpreter managed by ush",
            name,
            [one.name for one in read_managed(locations)],
            next_step=ush("interpreter", "list"),
        )
    if dependants and not consent:
        raise Refused(
            f"{name} is needed by: {', '.join(dependants)}",
            next_step=ush("interpreter", "drop", name, "--even-if-needed", why="they stop working"),
        )
    plan = Plan(
        aim=f"Drop the interpreter {name}",
        lines=(
            plan_line(LineKind.REMOVE, About.INTERPRETER_ENTRY, name=name, place=kept.prefix),
            *(plan_line(LineKind.WARNING, About.STOPS_WORKING, dependant=one) for one in dependants),
            plan_line(LineKind.NOTE, About.UNDO_RESTORES),
        ),
    )

    def prepare(staging: Place) -> tuple[Step, ...]:
        return (RetireTree(target=kept.prefix, retired=join(locations.data, "retired", os.path.basename(staging))),)

    change = change_of(plan, prepare=prepare)
    wired = [one for one in read_wiring(locations).entries if lies_in(one.directory, kept.prefix)]
    # One wiring change at a time: each is planned from the wiring as it is now.
    for one in wired[:1]:
        change = merged(change, plan_path_drop(one.directory, one.variable, chosen_shells(host), host, locations))
    return change
