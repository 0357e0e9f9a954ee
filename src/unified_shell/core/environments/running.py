"""Running a program in an environment. It is done often, so it reads no more than it must."""

import os
from typing import TYPE_CHECKING

from unified_shell.core.environments.model.layout import WIRED_MARK, link_place
from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import ush

if TYPE_CHECKING:
    from unified_shell.core.environments.model.registry import Environment

__all__ = ["check_base_there", "entered_variables", "environment_prefix"]


def entered_variables(prefix: str, host: Host) -> dict[str, str]:
    """Return this session's variables with an environment entered."""
    variables = host.environment()
    scripts = join(prefix, host.scripts_name)
    before = host.variable("USH_ENVIRONMENT")
    gone = {scripts, join(before, host.scripts_name) if before else scripts}
    rest = [one for one in host.search_path() if one not in gone]
    variables["PATH"] = os.pathsep.join([scripts, *rest])
    variables["USH_ENVIRONMENT"] = prefix
    variables.pop("PYTHONHOME", None)
    if os.path.exists(join(prefix, WIRED_MARK)):
        _apply_own_wiring(variables, prefix)
    return variables


def check_base_there(found: "Environment") -> None:
    """Raise CouldNot for an environment whose interpreter is gone: what is run would be another one's, or nothing's."""
    program = join(found.layout.scripts, os.path.basename(found.contents.interpreter))
    is_python = found.contents.is_python
    if is_executable_file(found.layout.python if is_python else program):
        return
    anew = ush("environment", "copy", found.name, f"{found.name}-anew", "--interpreter", "3", *found.scope_words)
    raise CouldNot(
        f"the interpreter of the environment {found.name} is gone: {found.contents.interpreter}",
        next_step=f"{anew}   (what was requested is kept)" if is_python else ush("verify", found.name),
    )


def _apply_own_wiring(variables: dict[str, str], prefix: str) -> None:
    """Set what holds while the environment is entered, as its enter scripts do."""
    from unified_shell.core.environments.model.contents import read_contents
    from unified_shell.core.shells.dialects.dialect import Side
    from unified_shell.core.shells.dialects.search_path_rules import rule_of

    contents = read_contents(prefix)
    if contents is None:
        return
    for path in contents.wiring.search_paths():
        rule = rule_of(path.variable)
        before = variables.get(path.variable, rule.default or "").split(os.pathsep)
        old = [one for one in before if one not in path.directories]
        # An empty entry stands for a default in some, and for the current directory in the others.
        kept = old if rule.default is not None else [one for one in old if one]
        own = [*(rule.first if path.side is Side.FRONT else ()), *path.directories]
        kept = [one for one in kept if one not in rule.first] if path.side is Side.FRONT else kept
        if path.variable == "PATH" and path.side is Side.FRONT:
            joined = [kept[0], *own, *kept[1:]]  # the environment's own commands stay first
        else:
            joined = [*own, *kept] if path.side is Side.FRONT else [*kept, *own]
        variables[path.variable] = os.pathsep.join(joined)
    variables.update({one.name: one.value for one in contents.wiring.variables})


def environment_prefix(name: str, host: Host, locations: Locations) -> Place:
    """Return an environment's link without reading what is in it: running must be quick."""
    if name and "/" not in name and not name.startswith("."):
        prefix = link_place(locations.data, name)
        if is_executable_file(join(prefix, host.scripts_name, host.python_name)):
            return prefix
    from unified_shell.core.environments.model.registry import find_environment

    found = find_environment(name, host, locations)
    check_base_there(found)
    return found.prefix
