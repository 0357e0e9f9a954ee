"""Whether this session, or a running program, began before the last change of the wiring."""

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Scope
from unified_shell.core.machine.processes.running_programs import RunningProgram, programs_begun_with
from unified_shell.core.shells.wiring.session_places import stamp_name
from unified_shell.core.shells.wiring.wiring import Wiring

__all__ = ["session_is_stale", "stale_programs"]

STAMP_NAME = stamp_name(Scope.ME)


def session_is_stale(host: Host, wiring: Wiring) -> bool:
    """Tell whether this session read another wiring than there is now, by the stamp that it left."""
    stamp = host.variable(STAMP_NAME)
    return bool(stamp) and stamp != wiring.stamp()


def stale_programs(wiring: Wiring) -> tuple[RunningProgram, ...]:
    """Return the running programs that began with another wiring than there is now; they have to be restarted."""
    if wiring.is_empty:
        return ()  # nothing that a program could have missed
    stamp = wiring.stamp()
    return tuple(one for one in programs_begun_with(STAMP_NAME) if one.value != stamp)
