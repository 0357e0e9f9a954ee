"""Asking a Python interpreter what it is, in one start."""

import os
from collections.abc import Mapping

from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.machine.host import Host, Libc
from unified_shell.core.machine.places import Place, from_json_text
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.machine.programs.executables import FileKind, read_executable
from unified_shell.core.next_steps import ush

from .facts import InterpreterFacts

__all__ = ["ask_python", "parse_facts", "probe"]

MARKER = b"@@USH-FACTS@@ "
# An interpreter starts in a moment; from a cold network volume it may take seconds.
PROBE_SECONDS = 10.0


def probe(executable: str, host: Host) -> InterpreterFacts:
    """Start an interpreter once and return what it says; raises InterpreterUnusable with the cause."""
    return parse_facts(ask_python(executable, host), executable)


def ask_python(executable: str, host: Host) -> bytes:
    """Start an interpreter once and return what it says as `parse_facts` reads it."""
    program = os.path.join(os.path.dirname(__file__), "probe_python.py")
    ran = run_program(
        (executable, "-E", "-s", "-S", "-B", program),
        environment=clean_variables(host),
        timeout_seconds=PROBE_SECONDS,
    )
    lines = [line for line in ran.output.splitlines() if line.startswith(MARKER)]
    if not lines:
        raise InterpreterUnusable(
            f"{executable} does not start as Python: {_trouble(executable, ran)}",
            next_step=ush("interpreter", "list", why="those that start"),
        )
    return lines[-1].removeprefix(MARKER)


def parse_facts(content: bytes, started: str) -> InterpreterFacts:
    """Return the facts from the probe's line."""
    read = from_json_text(content)
    if not isinstance(read, Mapping):
        raise InterpreterUnusable(f"{started} gave no readable facts about itself")
    major, minor, patch = read["version"]
    name, libc_major, libc_minor = read["libc"]
    return InterpreterFacts(
        executable=Place(_path(read["executable"]) or started),
        real_executable=Place(_path(read["real_executable"]) or os.path.realpath(started)),
        version=(major, minor, patch),
        full_version=read["full_version"],
        implementation=read["implementation"],
        word_size_bits=read["word_size_bits"],
        architecture=read["architecture"],
        libc=Libc(name=name, major=libc_major, minor=libc_minor),
        system=read["system"],
        prefix=Place(_path(read["prefix"])),
        base_prefix=Place(_path(read["base_prefix"])),
        environment_prefix=Place(_path(read["environment_prefix"])),
        externally_managed=read["externally_managed"],
        free_threaded=read["free_threaded"],
        cache_tag=read["cache_tag"],
        magic=read["magic"],
        lacking=tuple(read["lacking"]),
        library_folders=tuple(map(Place, read["library_folders"])),
        site_folders=tuple(map(Place, read["site_folders"])),
        extension_suffixes=tuple(read["extension_suffixes"]),
        os_name=read["os_name"],
        uname=tuple(read["uname"]),
    )


def _trouble(executable: str, ran: Ran) -> str:
    trouble = ran.trouble or "gives no facts about itself"
    if read_executable(executable).kind is not FileKind.SCRIPT:
        return trouble
    said = ran.errors.decode("utf-8", "replace").strip().splitlines()
    return f"a script; it says: {said[0].strip()}" if said and ran.returncode else f"a script; it {trouble}"


def _path(value: object) -> str:
    return value if isinstance(value, str) else ""
