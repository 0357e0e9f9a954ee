"""Taking packages out of an environment, with what came along for them alone."""

from collections.abc import Sequence

from unified_shell.core.changes.plan import Change, Plan, change_of
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.installed import reachable
from unified_shell.core.environments.model.registry import Environment, check_changeable
from unified_shell.core.errors import Refused, UnknownName
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.next_steps import ush

from .package_lines import removed_lines
from .package_plans import carried_lines
from .renewal import Renewer
from .requests import standing_requests

__all__ = ["plan_drop_packages"]


def plan_drop_packages(
    names: Sequence[str],
    environment: Environment,
    host: Host,
    locations: Locations,
    client: IndexClient,
) -> Change:
    """Plan to take packages out, with what came along for them alone; others stay as they are."""
    check_changeable(environment)
    facts = base_of(environment, host)
    contents = environment.contents
    dropped = {canonicalize_name(name) for name in names}
    for name in dropped:
        if contents.find(name) is None:
            known = [one.name for one in contents.distributions]
            raise UnknownName(
                f"package in {environment.name}", name, known, next_step=ush("package", "list", *environment.naming)
            )
    roots = standing_requests(contents, facts.markers(), without=dropped)
    kept = reachable(roots, environment, facts)
    needed = sorted(dropped & set(kept))
    if needed:
        by = ", ".join(kept[needed[0]])
        raise Refused(
            f"{needed[0]} is needed by {by}",
            next_step=ush("package", "drop", kept[needed[0]][0].split()[0], *environment.changing),
        )
    distributions = [one for one in contents.distributions if one.name in kept]
    gone = [one for one in contents.distributions if one.name not in kept]
    renewal = Renewer(client=client, host=host, locations=locations).renewal(environment, distributions, facts)
    plan = Plan(
        aim=f"Remove {', '.join(names)} from the environment {environment.name}",
        lines=(
            *removed_lines(gone, environment, locations, why="nothing else needs it", asked=sorted(dropped)),
            *carried_lines(environment),
            *renewal.lines,
        ),
        relies_on=(f"environment {environment.name}",),
    )
    return change_of(plan, prepare=renewal.prepare)
