"""Running programs that began before an environment's last change, and so do not see it."""

import os
from collections.abc import Sequence

from unified_shell.core.machine.files.tree_links import leads_to
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.running_programs import OldState, RunningProgram, programs_using

from .model.registry import Environment

__all__ = ["programs_on_old"]


def programs_on_old(environments: Sequence[Environment]) -> tuple[RunningProgram, ...]:
    """Return the programs that use an earlier edition of one of these, or were started from it before its present one; each
    with the environment's name.
    """
    return programs_using([_old_state(one) for one in environments if one.edition > 1 and not one.foreign])


def _old_state(environment: Environment) -> OldState:
    edition = join(os.path.dirname(environment.prefix), leads_to(environment.prefix))
    editions = os.path.dirname(os.path.realpath(edition))
    names = os.listdir(editions) if os.path.isdir(editions) else []
    old = tuple(join(editions, one) for one in names if one.isdigit() and int(one) < environment.edition)
    try:
        since = os.lstat(environment.prefix).st_mtime
    except OSError:
        since = 0.0
    return OldState(name=environment.name, folders=old, started_from=environment.prefix, since=since)
