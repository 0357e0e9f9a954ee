"""The checks that a description asks for, run on what was got: commands with their versions, and modules."""

import os
import re
from collections.abc import Sequence

from unified_shell.core.catalogs.description import DescribedCheck
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.interpreters.managed import ManagedInterpreter
from unified_shell.core.interpreters.other_languages import language_named, undisturbed
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush

__all__ = ["run_described"]

CHECK_SECONDS = 60.0
VERSION = re.compile(r"\d+(\.\d+)+")


def run_described(checks: Sequence[DescribedCheck], kept: ManagedInterpreter, host: Host) -> tuple[Finding, ...]:
    """Run them with the interpreter's own commands first on PATH; what does not hold lets the change stand."""
    return tuple(_finding(one, kept, host) for one in checks)


def _finding(check: DescribedCheck, kept: ManagedInterpreter, host: Host) -> Finding:
    language = language_named(kept.language)
    argv, given = check.command, b""
    if check.module:
        asked = ("-c", f"import {check.module}") if kept.language == "python" else language.module
        argv = (kept.executable, *(word.replace("{name}", check.module) for word in asked))
        given = language.module_input.replace("{name}", check.module).encode()
    folder = os.path.dirname(kept.executable)
    variables = undisturbed(language, host.environment()) | {"PATH": f"{folder}{os.pathsep}{host.variable('PATH')}"}
    own = os.path.join(folder, argv[0])
    program = own if os.path.exists(own) else argv[0]
    ran = run_program((program, *argv[1:]), environment=variables, timeout_seconds=CHECK_SECONDS, given=given)
    trouble = ran.trouble
    if not trouble and check.version:
        found = VERSION.search((ran.output + b"\n" + ran.errors).decode("utf-8", "replace"))
        said = found[0] if found else ""
        if not said or not version_fits(said, check.version):
            trouble = f"it says {said or 'no version'}, not {check.version}"
    question = (
        f"module {check.module} loads" if check.module else f"{' '.join(check.command)} {check.version}".rstrip()
    )
    return Finding(
        subject=f"interpreter {kept.name}",
        question=question,
        verdict=verdict_of(passed=not trouble),
        answer=trouble or "yes",
        remedy=ush("undo", why="its description promises this") if trouble else "",
        elapsed_seconds=ran.elapsed_seconds,
    )
