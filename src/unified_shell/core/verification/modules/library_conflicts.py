"""Whether one process loads two versions of a shared library, which then share symbols and fail in odd ways."""

import os
import re

from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.verification.programs import program

__all__ = ["library_conflict"]

LOAD_SECONDS = 120.0
# The name and the major version, which changes when a library's interface does; names that hold a digest, as wheels
# give to their own copies, are each a library of its own.
VERSIONED = re.compile(r"(lib[\w+.-]+?)\.so\.(\d+)(\.[\d.]+)?")


def library_conflict(module: str, environment: Environment, host: Host) -> tuple[str, str] | None:
    """Import a module in an environment and return two files of one library with different major versions that are
    loaded then; None where there are none.
    """
    ran = run_program(
        (environment.layout.python, "-I", "-B", "-W", "ignore", program("files_of_imports"), module),
        environment=clean_variables(host),
        timeout_seconds=LOAD_SECONDS,
    )
    seen: dict[str, tuple[str, str]] = {}
    for file in os.fsdecode(ran.output).splitlines():
        match = VERSIONED.fullmatch(os.path.basename(file))
        if match is None:
            continue
        major, other = seen.setdefault(match[1], (match[2], file))
        if major != match[2]:
            return other, file
    return None
