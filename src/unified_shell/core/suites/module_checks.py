"""An application's own modules: each imported under each of its own interpreters, and why where one fails."""

import os
import re
from collections.abc import Iterator

from unified_shell.core.findings import Cause, Finding, Verdict
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.programs.executables import FileKind, read_executable
from unified_shell.core.machine.programs.shared_libraries import resolve_libraries
from unified_shell.core.next_steps import ush

from .application import own_interpreters
from .managed_suites import ManagedSuite
from .suite_offers import session_variables

__all__ = ["module_findings"]

IMPORT_SECONDS = 60.0
# What is imported one after another; an application with more has them tried as far as this.
MOST_MODULES = 200
EXTENSION = re.compile(r"^(?P<name>[A-Za-z_]\w*)\.(?P<tag>(?:cpython-|abi3)[\w-]*\.)?so$")


def module_findings(suite: ManagedSuite, host: Host) -> Iterator[Finding]:
    """Import each module in a suite's folders of modules under each of its own interpreters."""
    folders = tuple(join(suite.prefix, one) for one in suite.description.offers.module_folders)
    if not folders:
        return
    modules = [(folder, name) for folder in folders for name in _modules_in(folder)][:MOST_MODULES]
    variables = session_variables(suite.offered, host)
    variables["PYTHONPATH"] = os.pathsep.join(folders)
    for facts in own_interpreters(suite.prefix, host):
        failed = 0
        for folder, name in modules:
            ran = run_program(
                (facts.executable, "-B", "-c", f"import {name}"),
                environment=variables,
                timeout_seconds=IMPORT_SECONDS,
                with_descendants=True,
            )
            if ran.returncode == 0:
                continue
            failed += 1
            yield Finding(
                subject=f"suite {suite.name}",
                question=f"its {facts.title} imports {name}",
                verdict=Verdict.FAULT,
                answer=_why(folder, name, facts) or ran.trouble,
                cause=Cause.MODULE_FAILS,
                remedy=ush("look", f"module:{name}"),
            )
        if not failed:
            yield Finding(
                subject=f"suite {suite.name}",
                question=f"its {facts.title}, {facts.word_size_bits} bit, imports its modules",
                verdict=Verdict.PASSED,
                answer=f"{len(modules)} module{'' if len(modules) == 1 else 's'}",
            )


def _modules_in(folder: str) -> list[str]:
    names = []
    for one in sorted(os.listdir(folder)) if os.path.isdir(folder) else ():
        extension = EXTENSION.match(one)
        if extension and not one.startswith("lib"):
            names.append(extension["name"])
        elif one.endswith(".py") and one[:-3].isidentifier():
            names.append(one[:-3])
        elif one.isidentifier() and os.path.isfile(join(folder, one, "__init__.py")):
            names.append(one)
    return list(dict.fromkeys(names))


def _why(folder: str, name: str, facts: InterpreterFacts) -> str:
    """Say why an interpreter cannot load an extension module: its tag, its word size, a library that is missing."""
    files = [one for one in sorted(os.listdir(folder)) if (match := EXTENSION.match(one)) and match["name"] == name]
    if not files:
        return ""
    fitting = [one for one in files if one.removeprefix(name) in facts.extension_suffixes]
    if not fitting:
        return f"{files[0]} is for another Python; {facts.title} looks for {name}{facts.extension_suffixes[0]}"
    path = join(folder, fitting[0])
    program = read_executable(path)
    if program.kind is FileKind.ELF and program.word_size_bits != facts.word_size_bits:
        return f"{fitting[0]} is {program.word_size_bits} bit; the interpreter is {facts.word_size_bits} bit"
    missing = [library for library, place in resolve_libraries(path).items() if place is None]
    return f"{fitting[0]} needs {', '.join(missing)}, which is not found" if missing else ""
