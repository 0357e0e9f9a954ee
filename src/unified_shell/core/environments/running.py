"""Running a program in an environment, and opening a session that has entered it."""

import os
from dataclasses import dataclass

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.executables import is_executable_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.dialects import ENTERABLE

from .layout import link_place

__all__ = ["Entered", "entered_session", "entered_variables", "environment_prefix"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Entered:
    """A session to open: program, words, variables."""

    program: Place
    argv: tuple[str, ...]
    variables: tuple[tuple[str, str], ...]


def entered_variables(prefix: str, host: Host) -> dict[str, str]:
    """Return this session's variables with an environment entered."""
    variables = host.environment()
    scripts = join(prefix, "bin")
    before = host.variable("USH_ENVIRONMENT")
    gone = {scripts, join(before, "bin") if before else scripts}
    rest = [one for one in host.search_path() if one not in gone]
    variables["PATH"] = os.pathsep.join([scripts, *rest])
    variables["USH_ENVIRONMENT"] = prefix
    variables.pop("PYTHONHOME", None)
    return variables


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


def environment_prefix(name: str, host: Host, locations: Locations) -> Place:
    """Return an environment's link without reading what is in it: running must be quick."""
    if name and "/" not in name and not name.startswith("."):
        prefix = link_place(locations.data, name)
        if is_executable_file(join(prefix, "bin/python")):
            return prefix
    from .known import find_environment

    found = find_environment(name, host, locations)
    if not is_executable_file(found.layout.python):
        raise CouldNot(
            f"the interpreter of the environment {found.name} is gone: {found.contents.interpreter}",
            next_step=f"ush verify {found.name}",
        )
    return found.prefix
