"""Whether an interpreter managed by ush stands on its own: what it loads proves it, not where it says it is."""

import os
from collections.abc import Sequence
from pathlib import Path

from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.findings import Finding, verdict_of
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.interpreters.managed import ManagedInterpreter
from unified_shell.core.interpreters.other_languages import language_named, said_version
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.common_dirs import SHARED_PREFIXES
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import inside
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush

from .parts import PARTS

__all__ = ["missing_parts", "prove", "prove_parts"]

# All of a standard library is loaded.
LOAD_SECONDS = 120.0


def prove(kept: ManagedInterpreter, host: Host) -> tuple[Finding, ...]:
    """Start the interpreter and see that it, its library and all that it loads are its own."""
    if kept.language != "python":
        return (_says_version(kept, host),)
    try:
        facts = probe(kept.executable, host)
    except InterpreterUnusable as error:
        return (_finding(kept, "starts", error.message),)
    real = os.path.realpath(kept.prefix)
    strays = [one for one in facts.library_folders if not inside(os.path.realpath(one), real)]
    trouble = ""
    if os.path.realpath(facts.base_prefix) != real:
        trouble = f"it believes that it is in {facts.base_prefix}"
    elif strays:
        trouble = f"its library comes from {strays[0]}"
    trouble = trouble or _other_version(kept, facts.full_version)
    start = _finding(kept, "starts, with its own library", trouble, facts.title)
    return (start, _loads(kept, host)) if start.passed else (start,)


def prove_parts(kept: ManagedInterpreter, names: Sequence[str], host: Host) -> tuple[Finding, ...]:
    """See that each part that was asked for loads where the interpreter stands now."""
    gone = missing_parts(kept.executable, names, host)
    troubles = {name: "its modules do not load" if name in gone else "" for name in names}
    return tuple(_finding(kept, f"has {name}", trouble, "its modules load") for name, trouble in troubles.items())


def missing_parts(python: str, names: Sequence[str], host: Host) -> tuple[str, ...]:
    """Return the parts of these names whose modules a Python cannot import."""
    gone = []
    for part in (one for one in PARTS if one.name in names):
        asked = "; ".join(f"import {module}" for module in part.modules)
        ran = run_program((python, "-I", "-c", asked), environment=clean_variables(host), timeout_seconds=60)
        gone += [] if ran.returncode == 0 else [part.name]
    return tuple(gone)


def _loads(kept: ManagedInterpreter, host: Host) -> Finding:
    """Import every compiled module and look at the files that the running process has mapped."""
    program = str(Path(__file__).with_name("loaded_files.py"))
    ran = run_program(
        (kept.executable, "-E", "-s", "-S", "-B", program),
        environment=clean_variables(host),
        timeout_seconds=LOAD_SECONDS,
    )
    lines = os.fsdecode(ran.output).splitlines()
    files = [line.removeprefix("FILE ") for line in lines if line.startswith("FILE ")]
    own = os.path.realpath(kept.prefix)
    # A place that others share holds the system's own libraries as well.
    places = [one for one in kept.built_for if one not in SHARED_PREFIXES]
    foreign = [one for one in files if any(inside(one, old) for old in places) and not inside(one, own)]
    trouble = ran.trouble if ran.returncode != 0 else ""
    if foreign:
        trouble = f"it loads {foreign[0]} from where it was built"
    fails = [line.removeprefix("FAILS ").split(" ")[0] for line in lines if line.startswith("FAILS ")]
    lacks = f"; {len(fails)} do not load: {', '.join(fails[:4])}" if fails else ""
    return _finding(kept, "loads nothing from where it was built", trouble, f"{len(files)} files, all its own{lacks}")


def _says_version(kept: ManagedInterpreter, host: Host) -> Finding:
    language = language_named(kept.language)
    version, trouble = said_version(language, kept.executable, host)
    trouble = trouble or _other_version(kept, version)
    return _finding(kept, "starts", trouble, f"{language.title} {version}")


def _other_version(kept: ManagedInterpreter, said: str) -> str:
    """Say that it is of another version than was promised of it; empty where it is of that one."""
    if not kept.version or version_fits(said, kept.version):
        return ""
    return f"it says that it is version {said}; {kept.version} was promised"


def _finding(kept: ManagedInterpreter, question: str, trouble: str, answer: str = "") -> Finding:
    return Finding(
        subject=f"interpreter {kept.name}",
        question=question,
        verdict=verdict_of(passed=not trouble),
        answer=trouble or answer,
        remedy=ush("interpreter", "list", why="choose another") if trouble else "",
        puts_back=True,
    )
