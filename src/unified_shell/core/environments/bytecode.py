"""Byte code of a wheel's content, made once for each interpreter version by the interpreter itself."""

import os
from collections.abc import Sequence
from pathlib import Path

from unified_shell.core.interpreters.facts import InterpreterFacts, clean_variables
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join, to_json_text
from unified_shell.core.machine.pool import map_at_once
from unified_shell.core.machine.processes import run_program
from unified_shell.core.store.contents import Content

__all__ = ["bytecode_name", "bytecode_part", "compile_content"]

WORKERS = 2
FILES_AT_ONCE = 250
TIMEOUT_SECONDS = 600.0


def bytecode_part(facts: InterpreterFacts) -> str:
    """Return the name of the store's folder for this interpreter's byte code."""
    return f"bytecode-{facts.cache_tag}-{facts.magic}"


def bytecode_name(source: str, facts: InterpreterFacts) -> str:
    """Return where byte code belongs, beside its source (PEP 3147)."""
    folder, name = os.path.split(source)
    return os.path.join(folder, "__pycache__", f"{name.removesuffix('.py')}.{facts.cache_tag}.pyc")


def compile_content(content: Content, into: str, facts: InterpreterFacts, host: Host) -> None:
    """Compile every module of a wheel's content into a folder of the same shape."""
    names = [one.name for one in content.files if one.name.endswith(".py") and ".dist-info/" not in one.name]
    batches = [names[at : at + FILES_AT_ONCE] for at in range(0, len(names), FILES_AT_ONCE)]
    map_at_once(lambda batch: _compile(batch, content, into, facts, host), batches, workers=WORKERS)


def _compile(names: Sequence[str], content: Content, into: str, facts: InterpreterFacts, host: Host) -> None:
    lines = [
        to_json_text([content.place(name), join(into, bytecode_name(name, facts)), name]) + "\n" for name in names
    ]
    run_program(
        (facts.real_executable, "-I", "-S", "-B", str(Path(__file__).with_name("compile_files.py"))),
        environment=clean_variables(host),
        timeout_seconds=TIMEOUT_SECONDS,
        given="".join(lines).encode("ascii"),
    )
