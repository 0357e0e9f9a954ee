"""Variables that a person's own startup files set: by their lines, with the values that a new session has."""

import re

from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import inside
from unified_shell.core.shells.dialects.dialect import Dialect, Mode
from unified_shell.core.shells.sessions.sessions import open_session

__all__ = ["variables_set_by_hand"]

SETS = re.compile(
    r"^\s*(?:export\s+(?P<posix>[A-Za-z_]\w*)=|setenv\s+(?P<csh>[A-Za-z_]\w*)\s|set\s+-g?x\s+(?P<fish>[A-Za-z_]\w*)\s)",
    re.MULTILINE,
)
# What belongs to the shell, the terminal or the session, not to a study.
OWN_OF_SESSIONS = re.compile(
    r"(PATH|PS\d|PROMPT\w*|HIST\w*|TERM\w*|SHELL|HOME|USER|LOGNAME|EDITOR|VISUAL|PAGER|LESS\w*|LS_\w+|LC_\w+|LANG|BASH\w*|ZSH\w*"
    r"|SSH_\w+|GPG_\w+|DISPLAY|XDG_\w+|PWD|OLDPWD|COLORTERM|\w*(PASSWORD|TOKEN|SECRET|KEY)\w*)"
)


def variables_set_by_hand(shell: Dialect, host: Host) -> dict[str, str]:
    """Return the variables by their names; what may be a secret is left out, and search paths are."""
    session = open_session(shell, Mode.INTERACTIVE, host)
    if session.trouble:
        return {}
    names: dict[str, None] = {}
    for file in shell.startup_files(Mode.INTERACTIVE, host.home, host.variables):
        content = read_file(file.path) if inside(file.path, host.home) else None
        if content is not None:
            text = content[0].decode("utf-8", "replace")
            names |= {next(filter(None, match.groups())): None for match in SETS.finditer(text)}
    values = dict(session.variables)
    return {
        name: values[name]
        for name in names
        if name in values and not OWN_OF_SESSIONS.fullmatch(name) and not name.endswith("PATH")
    }
