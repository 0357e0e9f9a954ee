"""What every change of the wiring must leave true: wired sessions open, and have what is wired."""

from unified_shell.core.findings import Cause, Finding
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.shells.wiring.wiring import read_wiring

from .checks.check import Surroundings
from .checks.directory_checks import is_in_sessions
from .checks.new_sessions import NewSessions
from .checks.session_file_checks import opens
from .targets.target import Kind, Target

__all__ = ["check_wired_sessions"]


def check_wired_sessions(host: Host, locations: Locations) -> tuple[Finding, ...]:
    """Open a new session of each wired shell and mode, and see that it has what the wiring wants."""
    around = Surroundings(host=host, locations=locations, sessions=NewSessions(host, only_wired=True))
    entries = read_wiring(locations).entries
    targets = [Target(kind=Kind.DIRECTORY, name=one.directory, variable=one.variable) for one in entries]
    found = [*opens(Target(kind=Kind.SESSIONS, name=""), around)]
    entries_found = [finding for target in targets for finding in is_in_sessions(target, around)]
    # What stands in front of an entry stood there before, or is a person's own line: undoing cannot have broken that.
    return (*found, *(one for one in entries_found if one.is_fault and one.cause is not Cause.ENTRY_BEHIND))
