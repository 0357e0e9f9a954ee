"""Which files answer to a typed name: the name itself, and on Windows the name with each known extension."""

import os

from unified_shell.core.machine.host import Host, System

__all__ = ["program_names"]

USUAL_EXTENSIONS = ".COM;.EXE;.BAT;.CMD"


def program_names(name: str, host: Host) -> tuple[str, ...]:
    """Return the names of files in the order in which they are looked for in each directory.

    Windows tries the extensions of PATHEXT in their order, the bare name only where it has one of them
    (Microsoft's documentation of PATHEXT).
    """
    if host.system is not System.WINDOWS:
        return (name,)
    told = host.variable("PATHEXT") or USUAL_EXTENSIONS
    extensions = tuple(one.lower() for one in told.split(";") if one)
    own = os.path.splitext(name)[1].lower()
    return (name,) if own in extensions else tuple(name + one for one in extensions)
