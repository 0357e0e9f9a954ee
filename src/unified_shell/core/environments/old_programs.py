"""Running programs that began before an environment's last change, and so do not see it."""

import os

from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.running_programs import RunningProgram, programs_using

from .model.registry import Environment

__all__ = ["programs_on_old"]


def programs_on_old(environment: Environment) -> tuple[RunningProgram, ...]:
    """Return the programs that use an earlier edition, or were started from the environment before the present one."""
    editions = os.path.dirname(os.path.realpath(environment.prefix))
    names = os.listdir(editions) if os.path.isdir(editions) else []
    old = [join(editions, one) for one in names if one.isdigit() and int(one) < environment.edition]
    switched = os.lstat(environment.prefix).st_mtime
    return programs_using(old, started_from=environment.prefix, before=switched)
