"""What a session script does to a session that reads it: tried once, in a bare shell of its dialect, and measured."""

import os
import tempfile

from msgspec import Struct

from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.processes.variables_as_given import writing_words
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.sessions.shell_programs import find_program, fresh_variables

from .script_measuring import OWN_VARIABLES, read_variables

__all__ = ["ScriptEffects", "try_script"]

# Each new session would wait as long: nobody keeps a script of 20 s.
LIMIT_SECONDS = 20.0


class ScriptEffects(Struct, frozen=True, kw_only=True):
    """How long it took, what it printed, the directories that it puts on PATH, and the variables that it sets.

    `trouble` says why it did not come to its end; it is then not known what it does.
    """

    elapsed_seconds: float = 0.0
    printed: tuple[str, ...] = ()
    directories: tuple[Place, ...] = ()
    variables: tuple[str, ...] = ()
    trouble: str = ""


def try_script(file: Place, dialect: str, host: Host) -> ScriptEffects:
    """Read a script in a bare shell of its dialect, without a terminal, and say what it did."""
    shell = dialect_named(dialect)
    program = find_program(shell, host)
    if program is None:
        return ScriptEffects(trouble=f"{dialect} is not on this machine")
    before = fresh_variables(host, program)
    with tempfile.TemporaryDirectory(prefix="ush-script-") as folder:
        first, last = join(folder, "first"), join(folder, "last")
        write = " ".join(map(shell.quote, writing_words()))
        lines = (f"{write} {shell.quote(first)}", shell.source_line(file), f"{write} {shell.quote(last)}")
        with open(join(folder, "try"), "w", encoding="utf-8", errors="surrogateescape") as out:
            out.write("\n".join(lines) + "\n")
        ran = run_program(
            (program, *shell.bare_words, join(folder, "try")),
            environment=before,
            timeout_seconds=LIMIT_SECONDS,
            directory=host.home if os.path.isdir(host.home) else "/",
            with_descendants=True,
        )
        printed = tuple(ran.output.decode("utf-8", "replace").splitlines())
        printed += tuple(ran.errors.decode("utf-8", "replace").splitlines())
        if not os.path.exists(last):
            return ScriptEffects(
                elapsed_seconds=ran.elapsed_seconds,
                printed=printed,
                trouble=ran.trouble or "it ends the session",
            )
        was, now = read_variables(first), read_variables(last)
    added = [one for one in now.get("PATH", "").split(":") if one not in was.get("PATH", "").split(":")]
    changed = [name for name, value in now.items() if was.get(name) != value and name not in (*OWN_VARIABLES, "PATH")]
    return ScriptEffects(
        elapsed_seconds=ran.elapsed_seconds,
        printed=printed,
        directories=tuple(map(Place, added)),
        variables=tuple(sorted(changed)),
    )
