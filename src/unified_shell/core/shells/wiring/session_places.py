"""Where the session files are, and how a session tells which wiring it has read."""

from unified_shell.core.machine.locations import Locations, Scope
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects.dialect import Dialect

__all__ = ["session_file", "stamp_name"]


def session_file(dialect: Dialect, locations: Locations) -> Place:
    """Return where a dialect's session file is."""
    return join(locations.data, "wiring", dialect.session_name)


def stamp_name(scope: Scope) -> str:
    """Return the variable by which a session tells which wiring it has read."""
    return "USH_WIRING" if scope is Scope.ME else "USH_WIRING_OF_EVERYONE"
