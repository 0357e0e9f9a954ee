"""Loading many modules in few processes: what loads there is told with its time, the rest is for a process of its own.

Most time of a check is spent on starting an interpreter and on what several modules have in common. So all that is likely
to load is loaded side by side first; whatever fails, hangs or takes the process down is asked again alone, where nothing
but itself can be the cause.
"""

from collections.abc import Sequence

from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.verification.programs import program

__all__ = ["loaded_together"]

PROCESSES = 2
FIRST_SECONDS, MORE_SECONDS = 60.0, 2.0


def loaded_together(words: Sequence[str], environment: Environment, host: Host) -> dict[str, float]:
    """Return the seconds that each of these, `module` or `module:attribute`, took to load, where it does."""
    every = list(dict.fromkeys(words))
    parts = [every[at::PROCESSES] for at in range(PROCESSES)]
    found: dict[str, float] = {}
    for one in map_at_once(lambda part: _loaded(part, environment, host), [one for one in parts if one]):
        found |= one
    return found


def _loaded(words: Sequence[str], environment: Environment, host: Host) -> dict[str, float]:
    """Load one after the other; after one that ends the process, go on with those behind it in another one."""
    found: dict[str, float] = {}
    left = list(words)
    while left:
        ran = run_program(
            (
                environment.layout.python,
                "-I",
                "-B",
                "-W",
                "ignore",
                program("import_many"),
                *left,
            ),
            environment=clean_variables(host),
            timeout_seconds=FIRST_SECONDS + MORE_SECONDS * len(left),
        )
        begun = 0
        for line in ran.output.decode("ascii", "replace").splitlines():
            number, _, seconds = line[1:].partition(" ")
            begun = int(number) + 1
            if line.startswith("="):
                found[left[int(number)]] = float(seconds)
        if ran.returncode == 0 or not begun:
            break
        left = left[begun:]
    return found
