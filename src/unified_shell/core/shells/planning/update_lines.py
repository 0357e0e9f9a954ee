"""The one line that gives this session the wiring as it is now, in the dialect of the shell that it runs."""

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import typed
from unified_shell.core.machine.session import read_session
from unified_shell.core.shells.dialects.table import SH, dialect_of_program
from unified_shell.core.shells.wiring.session_places import session_file

__all__ = ["forget_lines", "update_lines"]


def forget_lines(folder: str, host: Host) -> tuple[str, ...]:
    """Return what a person reads where a name in a folder of this session's PATH answers from another place now: the
    session may remember the old one.
    """
    dialect = dialect_of_program(read_session().shell) or SH
    word = dialect.forget_line
    if not word or folder not in host.search_path():
        return ()
    return (f"This session may remember the old place; to forget it, type:  {word}",)


def update_lines(host: Host, locations: Locations) -> tuple[str, ...]:
    """Return what a person reads after a change of the wiring: that this session lacks it, and the line to type."""
    dialect = dialect_of_program(read_session().shell) or SH
    if not dialect.session_name:
        return ("This session does not have it yet; open a new one.",)
    word = dialect.source_line("x").split(" ")[0]
    line = f"{word} {typed(session_file(dialect, locations), host.home)}"
    return ("This session does not have it yet; to update it, type:", f"  {line}")
