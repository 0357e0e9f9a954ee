"""What a script that starts one of several interpreters may go by: variables, where one stands, files beside it."""

import os

from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join

__all__ = ["script_depends_on", "script_key"]

# These differ from one session to the next and choose nothing.
IDLE_VARIABLES = frozenset({"_", "SHLVL", "OLDPWD", "COLUMNS", "LINES", "WINDOWID", "TERM", "SSH_TTY", "TMUX_PANE"})
# A folder of settings has a handful; one with thousands is something else.
MOST_FILES = 100


def script_key(path: str, host: Host) -> str:
    """Return the name under which such a script's answer is kept.

    It holds for these variables, for where one stands, and while there are the same files that may be settings.
    """
    variables = "\0".join(f"{name}={value}" for name, value in sorted(host.variables) if name not in IDLE_VARIABLES)
    settled = "\0".join((host.working_directory, variables, *script_depends_on(path, host)))
    return f"{path}\0{digest_of_bytes(os.fsencode(settled))[:24]}"


def script_depends_on(path: str, host: Host) -> tuple[str, ...]:
    """Return the files that may hold its settings: beside its folder, and hidden ones from here up to the root."""
    found = _files(os.path.dirname(os.path.dirname(path)), hidden=False)
    folder = str(host.working_directory)
    while True:
        found += _files(folder, hidden=True)
        if folder == os.path.dirname(folder):
            return tuple(found)
        folder = os.path.dirname(folder)


def _files(folder: str, *, hidden: bool) -> list[str]:
    try:
        with os.scandir(folder) as entries:
            names = [one.name for one in entries if one.is_file() and (one.name.startswith(".") or not hidden)]
    except OSError:
        return []
    return [join(folder, name) for name in sorted(names)[:MOST_FILES]]
