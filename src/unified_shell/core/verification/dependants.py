"""What works on an interpreter that `ush` keeps, and would stop working without it."""

from unified_shell.core.commands.preferred import read_choices
from unified_shell.core.environments.known import list_environments
from unified_shell.core.interpreters.kept import Kept
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import lies_in

__all__ = ["dependants_of"]


def dependants_of(kept: Kept, locations: Locations) -> tuple[str, ...]:
    """Return environments on it and names that are preferred from it, each in a person's words."""
    environments = [
        f"environment {one.name}"
        for one in list_environments(locations)
        if lies_in(one.contents.interpreter, kept.prefix)
    ]
    names = [
        f"the preferred name {one.name}" for one in read_choices(locations) if lies_in(one.candidate, kept.prefix)
    ]
    return (*environments, *names)
