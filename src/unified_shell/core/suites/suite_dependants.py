"""What stops working when a suite goes: other suites that need it, and environments that it is wired in or based on."""

from collections.abc import Collection

from unified_shell.core.changes.plan import About, LineKind, PlanLine, plan_line
from unified_shell.core.environments.model.registry import all_environments
from unified_shell.core.errors import Refused
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import lies_in
from unified_shell.core.next_steps import ush

from .managed_suites import ManagedSuite, read_suites

__all__ = ["check_not_needed"]


def check_not_needed(
    suite: ManagedSuite, host: Host, locations: Locations, *, consent: bool, going: Collection[str] = ()
) -> tuple[PlanLine, ...]:
    """Return a line for each that stops working; raises Refused where there is any and no consent.

    `going` are suites and environments that go in the same plan, as `suite NAME` and `environment NAME`.
    """
    needing = [one for one in _dependants(suite, host, locations) if one not in going]
    if needing and not consent:
        raise Refused(
            f"{suite.name} is needed by: {', '.join(needing)}",
            next_step=ush("suite", "drop", suite.name, "--even-if-needed", why="they stop working"),
        )
    return tuple(plan_line(LineKind.WARNING, About.STOPS_WORKING, dependant=one) for one in needing)


def _dependants(suite: ManagedSuite, host: Host, locations: Locations) -> list[str]:
    others = [one for one in read_suites(locations) if one.name != suite.name]
    remain = {one.description.name for one in others}
    needing = [
        f"suite {one.name}"
        for one in others
        if suite.description.name in one.description.needs.suites and suite.description.name not in remain
    ]
    for one in all_environments(host, locations):
        places = [entry.directory for entry in one.contents.wiring.entries]
        if any(lies_in(place, suite.prefix) for place in (*places, one.contents.interpreter)):
            needing.append(f"environment {one.name}")
    return needing
