"""The checks that a description asks for, run on what was got: commands with their versions, and modules."""

import os
from collections.abc import Sequence

from unified_shell.core.expectations.carrying_out import Setting, carry_out
from unified_shell.core.expectations.expectation import Expectation
from unified_shell.core.findings import Finding
from unified_shell.core.interpreters.managed import ManagedInterpreter
from unified_shell.core.interpreters.other_languages import language_named, undisturbed
from unified_shell.core.machine.host import Host
from unified_shell.core.next_steps import ush

__all__ = ["run_described"]


def run_described(checks: Sequence[Expectation], kept: ManagedInterpreter, host: Host) -> tuple[Finding, ...]:
    """Run them with the interpreter's own commands first on PATH; what does not hold lets the change stand."""
    language = language_named(kept.language)
    folder = os.path.dirname(kept.executable)
    variables = undisturbed(language, host.environment()) | {"PATH": f"{folder}{os.pathsep}{host.variable('PATH')}"}
    python = kept.language == "python"
    setting = Setting(
        variables=variables,
        folder=kept.prefix,
        python=kept.executable,
        import_words=("-c", "import {name}") if python else language.module,
        import_input="" if python else language.module_input,
        host=host,
    )
    undo = ush("undo", why="its description promises this")
    return tuple(carry_out(one, f"interpreter {kept.name}", setting, remedy=undo) for one in checks)
