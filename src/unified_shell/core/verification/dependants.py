"""What works on an interpreter that `ush` keeps, and would stop working without it."""

from unified_shell.core.commands.preferred import all_choices
from unified_shell.core.environments.model.registry import all_environments
from unified_shell.core.interpreters.managed import ManagedInterpreter
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import lies_in

__all__ = ["dependants_of"]


def dependants_of(kept: ManagedInterpreter, host: Host, locations: Locations) -> tuple[str, ...]:
    """Return environments on it and names that are preferred from it, each in a person's words."""
    environments = [
        f"environment {one.name}"
        for one in all_environments(host, locations)
        if lies_in(one.contents.interpreter, kept.prefix)
    ]
    names = [
        f"the preferred name {one.name}"
        for one in all_choices(host, locations)
        if lies_in(one.candidate, kept.prefix)
    ]
    return (*environments, *names)
