"""Which files a system takes for programs: the names that answer to a typed one, and the format of its own."""

import ntpath
import os

from unified_shell.core.machine.host import Host, System
from unified_shell.core.machine.path_rules import HERE

from .executables import Executable, FileKind

__all__ = ["command_stem", "is_of_this_system", "is_store_alias", "program_names"]

OWN_KIND = {System.LINUX: FileKind.ELF, System.MACOS: FileKind.MACH_O, System.WINDOWS: FileKind.PE}
# What a program's file has at the end of its name, which nobody types.
PROGRAM_EXTENSION = ".exe" if HERE.is_windows else ""
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


def is_of_this_system(facts: Executable, host: Host) -> bool:
    """Tell whether a program is made for this system and for a processor that runs here."""
    if facts.kind is not OWN_KIND.get(host.system, FileKind.ELF):
        return False
    return any(one in (host.architecture, *host.also_runs) for one in facts.architecture.split(" and "))


def command_stem(name: str) -> str:
    """Return the name of a program's file as it is typed: without the extension that this system's have."""
    extension = PROGRAM_EXTENSION
    return name[: -len(extension)] if extension and name.lower().endswith(extension) else name


def is_store_alias(path: str, facts: Executable, host: Host) -> bool:
    """Tell whether a file is an alias of Windows' store: without content, in its own folder; it starts an app, or the store."""
    folder = ntpath.basename(ntpath.dirname(path.replace("/", "\\")))
    return host.system is System.WINDOWS and facts.kind is FileKind.EMPTY and folder.lower() == "windowsapps"
