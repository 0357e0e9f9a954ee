"""Opening a session of the person's own shell that has entered an environment."""

import os

from msgspec import Struct

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import ush
from unified_shell.core.shells.dialects.table import dialect_of_program

__all__ = ["Entered", "entered_session"]


# Variables that an opening sets anew, with those that keep the person's own for the scripts that set it back.
KEPT = (("ENV", "_ush_env_before"), ("ZDOTDIR", "_ush_zdotdir_before"), ("HOME", "_ush_home_of_person"))


class Entered(Struct, frozen=True, kw_only=True):
    """A session to open: program, words, variables."""

    program: Place
    argv: tuple[str, ...]
    variables: tuple[tuple[str, str], ...]


def entered_session(prefix: str, host: Host) -> Entered:
    """Return how the person's own shell is opened so that it enters the environment after its startup files."""
    shell = host.variable("SHELL") or host.login_shell
    dialect = dialect_of_program(shell)
    if dialect is None or not is_executable_file(shell):
        raise CouldNot(
            f"this version cannot open {shell or 'a shell'} inside an environment",
            next_step=f"source the script yourself: . {join(prefix, 'enter.sh')}",
        )
    if not os.path.exists(join(prefix, "enter.sh")):
        raise CouldNot(
            f"{prefix} was not made by ush and has no scripts that enter it",
            next_step=(
                ush("environment", "run", prefix, "--", "COMMAND"),
                "or",
                ush("environment", "copy", prefix, "NEW"),
            ),
        )
    opening = dialect.enter_session(prefix, host.home)
    variables = host.environment()
    for name, kept in KEPT:
        if name in dict(opening.variables) and host.variable(name):
            variables[kept] = host.variable(name)
    variables.update(dict(opening.variables))
    return Entered(program=Place(shell), argv=opening.argv, variables=tuple(variables.items()))
