"""A shell's own program, and the variables with which a new session of it begins."""

import os

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.shells.dialects.dialect import Dialect

__all__ = ["SYSTEM_PATH", "find_program", "fresh_variables"]

SYSTEM_PATH = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"
PASSED_ON = ("LANG", "LC_ALL", "LC_CTYPE", "TZ", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME")


def find_program(dialect: Dialect, host: Host) -> Place | None:
    """Return the shell's program: the login shell where it is one, else the first on PATH or in /bin."""
    login = host.login_shell
    if os.path.basename(login) in dialect.programs and is_executable_file(login):
        return login
    for name in dialect.programs:
        for folder in (*host.search_path(), "/bin", "/usr/bin", "/usr/local/bin"):
            if os.path.isabs(folder) and is_executable_file(join(folder, name)):
                return join(folder, name)
    return None


def fresh_variables(host: Host, program: str) -> dict[str, str]:
    """Return the variables with which a new session begins: those of the account, and the system's PATH."""
    kept = {name: host.variable(name) for name in PASSED_ON if host.variable(name)}
    return {
        "HOME": host.home,
        "USER": host.user_name,
        "LOGNAME": host.user_name,
        "SHELL": program,
        "TERM": "xterm",
        "LANG": "C.UTF-8",
        "PATH": SYSTEM_PATH,
        # Shells that write a history on leaving get nowhere to write it.
        "HISTFILE": "/dev/null",
        **kept,
    }
