"""Sessions that nobody sits at: scripts, cron, `ssh host COMMAND`. Most shells read no startup file for them.

What each reads was established by trying; see `startup_files` of the dialects for sessions that a person has.
"""

import os

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, typed
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.wiring.session_places import session_file

from .path_faults import first_on
from .shell_programs import find_program, fresh_variables

__all__ = ["CommandSession", "ask_command_session", "what_commands_read"]

# As long as a new session may take.
ASK_SECONDS = 10.0


class CommandSession(Struct, frozen=True, kw_only=True):
    """What a name is to a command that this shell runs for nobody: the file, empty for none, and what can be done."""

    shell: str
    file: Place
    reads: str
    remedy: str


def what_commands_read(dialect: Dialect, locations: Locations, host: Host) -> tuple[str, str]:
    """Return what a shell reads before such a command, and the line that gives a script the wiring; empty where it has it."""
    reads = dialect.command_reads
    if not reads or dialect.is_wired_for_commands:
        return reads, ""
    word = dialect.source_line("x").split(" ")[0]
    return reads, f"{word} {typed(session_file(dialect, locations), host.home)}"


def ask_command_session(dialect: Dialect, name: str, host: Host, locations: Locations) -> CommandSession | None:
    """Run a command as `sh -c`, cron and ssh do, and say which file a name would start there; None for no such shell."""
    from unified_shell.core.machine.processes.processes import run_program

    program = find_program(dialect, host)
    reads, remedy = what_commands_read(dialect, locations, host)
    if program is None or not reads:
        return None
    ran = run_program(
        (program, "-c", "/usr/bin/printenv PATH"),
        environment=fresh_variables(host, program),
        timeout_seconds=ASK_SECONDS,
        directory=host.home if os.path.isdir(host.home) else "/",
        with_descendants=True,
    )
    lines = os.fsdecode(ran.output).splitlines()
    entries = lines[-1].split(":") if lines else []
    return CommandSession(shell=dialect.name, file=Place(first_on(entries, name)), reads=reads, remedy=remedy)
