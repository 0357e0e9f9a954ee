"""What a suite gives a session: by its description, and by its session script as that was measured; for the wiring, its checks
and its trial alike.
"""

import os

from msgspec import Struct

from unified_shell.core.catalogs.description import Description
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.shells.planning.script_delta import ScriptDelta

__all__ = ["Offered", "commands_of", "offered_by", "session_variables"]


class Offered(Struct, frozen=True, kw_only=True):
    """The directories that it puts on search paths (variable, directory), nearest the front first, and variables with values."""

    front: tuple[tuple[str, Place], ...] = ()
    back: tuple[tuple[str, Place], ...] = ()
    values: tuple[tuple[str, str], ...] = ()

    @property
    def command_folders(self) -> tuple[Place, ...]:
        """The directories with its commands."""
        return tuple(folder for name, folder in (*self.front, *self.back) if name == "PATH")


def offered_by(described: Description, prefix: Place, script: ScriptDelta | None = None) -> Offered:
    """Return what a suite that stands at `prefix` gives, each directory and variable once; its description counts first."""

    def filled(text: str) -> str:
        return text.replace("{prefix}", prefix)

    front = [(name, Place(os.path.normpath(join(prefix, filled(f))))) for name, f in described.offers.search_paths]
    values = {name: filled(value) for name, value in described.offers.variables}
    back: list[tuple[str, Place]] = []
    if script is not None:
        front += script.front
        back += script.back
        values = dict(script.values) | values
    # An interpreter of its own never stands in front of the person's.
    own = os.path.dirname(join(prefix, described.offers.interpreter)) if described.offers.interpreter else ""
    back += [one for one in front if one == ("PATH", own)]
    front = [one for one in front if one not in back]
    return Offered(front=tuple(dict.fromkeys(front)), back=tuple(dict.fromkeys(back)), values=tuple(values.items()))


def session_variables(offered: Offered, host: Host) -> dict[str, str]:
    """Return this session's variables with what is offered, as a new session will have them."""
    variables = host.environment()
    for name, folder in reversed(offered.front):
        variables[name] = os.pathsep.join(filter(None, (folder, variables.get(name, ""))))
    for name, folder in offered.back:
        variables[name] = os.pathsep.join(filter(None, (variables.get(name, ""), folder)))
    return variables | dict(offered.values)


def commands_of(offered: Offered) -> tuple[str, ...]:
    """Return the commands in the folders that are put on PATH."""
    names: set[str] = set()
    for place in offered.command_folders:
        if os.path.isdir(place):
            names.update(one for one in os.listdir(place) if os.access(join(place, one), os.X_OK))
    return tuple(sorted(names))
