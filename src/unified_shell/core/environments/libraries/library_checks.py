"""The checks of an environment of another language: its interpreter starts, and finds what is in its library."""

import os
import tempfile

from unified_shell.core.environments.model.contents import Contents
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.findings import Finding, Verdict, verdict_of
from unified_shell.core.interpreters.languages import Language, find_language
from unified_shell.core.interpreters.other_languages import said_version, undisturbed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import Place, join
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.next_steps import ush

from .library_variables import library_variables

__all__ = ["check_library", "interpreter_name"]

# Some languages compile the proof's module.
MAKE_SECONDS = 120.0
IMPORT_SECONDS = 30.0


def check_library(environment: Environment, host: Host, *, puts_back: bool = False) -> tuple[Finding, ...]:
    """Start the interpreter of an environment of another language, and see that a session that entered it finds what is in its
    library. Nothing is written there: the least module is put into a stand-in, whose place is written with the same letters.
    """
    contents = environment.contents
    table = find_language(contents.language)
    if table is None:
        return ()
    program = join(environment.prefix, "bin", interpreter_name(contents))
    version, trouble = said_version(table, program, host)
    subject = f"environment {environment.name}"
    start = Finding(
        subject=subject,
        question="its interpreter starts",
        verdict=verdict_of(passed=not trouble),
        answer=trouble or f"{table.title} {version}",
        remedy=ush("interpreter", "list", why="choose another") if trouble else "",
        puts_back=True,
    )
    if trouble:
        return (start,)
    return (start, _imports(environment, table, program, host, puts_back=puts_back))


def interpreter_name(contents: Contents) -> str:
    """Return the name by which an environment's interpreter is called in it."""
    return os.path.basename(contents.interpreter)


def _imports(environment: Environment, table: Language, program: Place, host: Host, *, puts_back: bool) -> Finding:
    library = join(environment.prefix, table.library)
    made_by = ush("environment", "drop", environment.name, *environment.scope_words, why="then make it again")
    question = "a module in its library is found"
    subject = f"environment {environment.name}"
    if not os.path.isdir(library):
        return Finding(
            subject=subject, question=question, verdict=Verdict.FAULT, answer="its library is gone", remedy=made_by
        )
    variables = undisturbed(table, host.environment())
    variables |= {one.name: one.value for one in environment.contents.wiring.variables}
    for one in library_variables(table, environment.prefix):
        if one.value not in variables.get(one.name, ""):
            answer = f"{one.name} does not lead to it"
            return Finding(subject=subject, question=question, verdict=Verdict.FAULT, answer=answer, remedy=made_by)
    name = f"UshProof{os.urandom(4).hex()}"
    with tempfile.TemporaryDirectory(prefix="ush-library-") as top:
        prefix = join(top, os.path.splitdrive(environment.prefix)[1].lstrip(os.sep))
        instead = join(prefix, table.library)
        os.makedirs(instead)
        variables |= {one.name: one.value for one in library_variables(table, prefix)}
        if trouble := _put(name, instead, table, program, variables):
            return Finding(subject=subject, question=question, verdict=Verdict.FAULT, answer=trouble, remedy=made_by)
        ran = run_program(
            (program, *(word.replace("{name}", name) for word in table.module)),
            environment=variables,
            timeout_seconds=IMPORT_SECONDS,
            given=table.module_input.encode(),
        )
    said = ran.errors.decode("utf-8", "replace").strip().splitlines()
    trouble = "" if ran.returncode == 0 else f"{table.title} does not find it: {said[-1] if said else ran.trouble}"
    return Finding(
        subject=subject,
        question=question,
        verdict=verdict_of(passed=not trouble),
        answer=trouble or library,
        remedy=made_by if trouble else "",
        puts_back=puts_back,
        elapsed_seconds=ran.elapsed_seconds,
    )


def _put(name: str, library: Place, table: Language, program: Place, variables: dict[str, str]) -> str:
    """Make the least module in a library; returns what went wrong."""
    if table.library_maker:
        words = [word.replace("{name}", name).replace("{library}", library) for word in table.library_maker]
        ran = run_program((program, *words), environment=variables, timeout_seconds=MAKE_SECONDS)
        return "" if os.path.lexists(join(library, name)) else f"none can be installed: {ran.trouble}"
    file, text = (one.replace("{name}", name) for one in table.library_proof)
    try:
        os.makedirs(os.path.dirname(join(library, file)), exist_ok=True)
        with open(join(library, file), "x", encoding="ascii") as opened:
            opened.write(text)
    except OSError as error:
        return f"it cannot be written: {error.strerror}"
    return ""
