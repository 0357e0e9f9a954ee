"""Opening a session of the person's own shell that has entered an environment."""

import os
from dataclasses import dataclass

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.executables import is_executable_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects import ENTERABLE

__all__ = ["Entered", "entered_session"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Entered:
    """A session to open: program, words, variables."""

    program: Place
    argv: tuple[str, ...]
    variables: tuple[tuple[str, str], ...]


def entered_session(prefix: str, host: Host) -> Entered:
    """Return how the person's own shell is opened so that it enters the environment after its startup files."""
    shell = host.variable("SHELL") or host.login_shell
    name = os.path.basename(shell)
    dialect = next((one for one in ENTERABLE if name in one.programs), None)
    if dialect is None or not is_executable_file(shell):
        raise CouldNot(
            f"this version cannot open {shell or 'a shell'} with an environment entered; it can bash, sh and fish",
            next_step=f"source the script yourself: . {join(prefix, 'enter.sh')}",
        )
    opening = dialect.enter_session(prefix)
    variables = host.environment()
    if dialect.name == "sh" and host.variable("ENV"):
        variables["_ush_env_before"] = host.variable("ENV")
    variables.update(dict(opening.variables))
    return Entered(program=Place(shell), argv=opening.argv, variables=tuple(variables.items()))
