"""Whether new sessions come to a session script: seen by what it sets, in each shell and mode that can read it."""

from collections.abc import Sequence

from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import shown
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.dialect import Dialect, Mode, SessionScript
from unified_shell.core.shells.sessions.sessions import open_session

from .script_effects import try_script

__all__ = ["check_script"]


def check_script(script: SessionScript, modes: Sequence[tuple[Dialect, Mode]], host: Host) -> tuple[Finding, ...]:
    """Open a new session of each shell that reads the script's dialect, and look for what the script sets.

    Of one that sets nothing that can be seen from outside, nothing is said.
    """
    effects = try_script(script.file, script.dialect, host)
    if not (effects.variables or effects.directories):
        return ()
    found = []
    for dialect, mode in dict.fromkeys(modes):
        if script.dialect not in dialect.reads:
            continue
        session = open_session(dialect, mode, host)
        variables, entries = dict(session.variables), session.search_path()
        lacking = [name for name in effects.variables if name not in variables]
        lacking += [one for one in effects.directories if one not in entries]
        found.append(
            Finding(
                subject=f"a new {mode.value} session of {dialect.name}",
                question=f"reads {shown(script.file, host.home)}",
                verdict=verdict_of(passed=not lacking and not session.trouble),
                answer=session.trouble or (f"it has no {lacking[0]}" if lacking else "yes"),
                remedy=ush("shell", "list") if lacking else "",
                elapsed_seconds=session.elapsed_seconds,
            )
        )
    return tuple(found)
