"""Run in a process of its own: wire all nasty names into all shells of a scope, open all sessions, print what they have."""

import json
import sys

from support.nasty import NASTY
from unified_shell.core.changes.executor import Executor
from unified_shell.core.changes.journal import Journal
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.locations import everyone_locations, locations_of
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import Mode, SetVariable, Side
from unified_shell.core.shells.dialects.table import DIALECTS
from unified_shell.core.shells.planning.wiring_changes import WiringChange, plan_wiring
from unified_shell.core.shells.sessions.sessions import open_session
from unified_shell.core.shells.sessions.shell_programs import find_program
from unified_shell.core.shells.wiring.wiring import Wiring


def main(scope: str) -> None:
    """Print {"MODE SHELL": {variable: value}} for each session that opened."""
    host = read_host()
    locations = everyone_locations(host) if scope == "everyone" else locations_of(host)
    wiring = Wiring(variables=tuple(SetVariable(name=f"HIVE_{n}", value=one) for n, one in enumerate(NASTY)))
    for name in reversed(NASTY[::2]):
        wiring = wiring.with_entry("PATH", name, Side.FRONT)
    for name in NASTY[1::2]:
        wiring = wiring.with_entry("PATH", name, Side.BACK)
    shells = [one for one in DIALECTS if find_program(one, host)]
    change = WiringChange(
        aim="all",
        before=Wiring(),
        after=wiring,
        lines=(),
        values=tuple((one.name, one.value) for one in wiring.variables),
    )
    executor = Executor(locations=locations, journal=Journal(join(locations.data, "journal.sqlite")))
    outcome = executor.perform(plan_wiring(change, shells, host, locations))
    assert not outcome.faults, outcome.faults
    sessions = {f"{mode.value} {one.name}": open_session(one, mode, host) for one in shells for mode in Mode}
    print(json.dumps({key: {"trouble": one.trouble, **dict(one.variables)} for key, one in sessions.items()}))


if __name__ == "__main__":
    main(Place(sys.argv[1]))
