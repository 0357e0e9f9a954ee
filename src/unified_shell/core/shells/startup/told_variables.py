"""Variables that decide which startup files are read, as the shell itself has them: they need not be exported.

`ZDOTDIR` is usually set in `~/.zshenv` and seldom exported, and `ush` may run from another shell; so zsh is asked.
"""

import os
from functools import cache

from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.shells.dialects.dialect import Dialect
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables

__all__ = ["told_variables"]

# One assignment is asked for; what takes longer hangs.
ASK_SECONDS = 5.0
# The words that run what is not in the file itself, or could make a name of what is.
RUNNING = frozenset(
    {".", "source", "eval", "autoload", "emulate", "builtin", "command", "zmodload", "read", "typeset"}
)
ZSHENV_FILES = ("/etc/zsh/zshenv", "/etc/zshenv")


def told_variables(dialect: Dialect, host: Host) -> tuple[tuple[str, str], ...]:
    """Return the session's variables, with those instead that a new session of this shell has when it begins to read."""
    if dialect.name != "zsh":
        return host.variables
    others = tuple((name, value) for name, value in host.variables if name != "ZDOTDIR")
    folder = _folder_of_zsh(dialect, host)
    return (*others, ("ZDOTDIR", folder)) if folder else others


def _folder_of_zsh(dialect: Dialect, host: Host) -> str:
    program = find_program(dialect, host)
    files = [join(host.home, ".zshenv"), *ZSHENV_FILES]
    marks = tuple((file, _mark(file)) for file in files)
    if program is None or not any(_may_set_it(file) for file in files):
        return ""
    return _asked(program, tuple(sorted(fresh_variables(host, program).items())), marks)


@cache
def _asked(program: str, variables: tuple[tuple[str, str], ...], _marks: tuple[tuple[str, object], ...]) -> str:
    """Ask once while the files are as they are; what they print is not the answer, which comes last."""
    from unified_shell.core.machine.processes.processes import run_program

    ran = run_program(
        (program, "-c", 'print -rn -- "${ZDOTDIR-}"'),
        environment=dict(variables),
        timeout_seconds=ASK_SECONDS,
        with_descendants=True,
    )
    said = os.fsdecode(ran.output).rsplit("\n", 1)[-1]
    return said if os.path.isabs(said) and os.path.isdir(said) else ""


def _may_set_it(file: str) -> bool:
    """Tell whether a file names the variable, or runs text or a file that may. Asking zsh takes longer than all the rest."""
    content = read_file(file)
    if content is None:
        return False
    lines = [line.strip() for line in content[0].decode("utf-8", "replace").splitlines()]
    told = [line for line in lines if line and not line.startswith("#")]
    words = {word.strip(";&|(){}") for line in told for word in line.split()}
    return any("ZDOTDIR" in line for line in told) or not RUNNING.isdisjoint(words)


def _mark(file: str) -> tuple[int, int] | None:
    try:
        facts = os.stat(file)
    except OSError:
        return None
    return facts.st_mtime_ns, facts.st_size
