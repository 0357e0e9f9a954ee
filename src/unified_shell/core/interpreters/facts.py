"""What is known of a Python interpreter, told by itself in one start."""

import os
from collections.abc import Mapping
from pathlib import Path

from msgspec import Struct

from unified_shell.core.distributions.tag_facts import TagFacts
from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.installation.clean_variables import clean_variables
from unified_shell.core.machine.host import Host, Libc
from unified_shell.core.machine.places import Place, from_json_text
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.machine.programs.executables import FileKind, read_executable
from unified_shell.core.next_steps import ush

__all__ = ["OLDEST_BASE", "InterpreterFacts", "ask_python", "parse_facts", "probe"]

MARKER = b"@@USH-FACTS@@ "
# An interpreter starts in a moment; from a cold network volume it may take seconds.
PROBE_SECONDS = 10.0

# Older ones have another site and import machinery.
OLDEST_BASE = (3, 8)


class InterpreterFacts(Struct, frozen=True, kw_only=True):
    """The facts. `executable` is what was started; `real_executable` is where its links lead.

    `environment_prefix` is set where the interpreter is itself an environment's. `lacking` names optional
    parts of the library that are not there. Modules are in `library_folders` (the standard library's) and
    `site_folders`; a compiled one's file ends with one of `extension_suffixes`.
    """

    executable: Place
    real_executable: Place
    version: tuple[int, int, int]
    full_version: str
    implementation: str
    word_size_bits: int
    architecture: str
    libc: Libc
    system: str
    prefix: Place
    base_prefix: Place
    environment_prefix: Place
    externally_managed: bool
    free_threaded: bool
    cache_tag: str
    magic: str
    lacking: tuple[str, ...]
    library_folders: tuple[Place, ...]
    site_folders: tuple[Place, ...]
    extension_suffixes: tuple[str, ...]
    os_name: str
    uname: tuple[str, ...]

    @property
    def short_version(self) -> str:
        """`3.11`."""
        return f"{self.version[0]}.{self.version[1]}"

    @property
    def is_windows(self) -> bool:
        """Tell whether it is one for Windows, as it says of itself (sys.platform)."""
        return self.system == "win32"

    @property
    def title(self) -> str:
        """`Python 3.11.7`, with the implementation where it is another."""
        name = "Python" if self.implementation == "cpython" else f"Python ({self.implementation})"
        return f"{name} {self.full_version}"

    def tag_facts(self) -> TagFacts:
        """Return what decides which wheels fit."""
        return TagFacts(
            implementation=self.implementation,
            version=self.version[:2],
            word_size_bits=self.word_size_bits,
            architecture=self.architecture,
            system=self.system,
            libc=(self.libc.name, self.libc.major, self.libc.minor),
            free_threaded=self.free_threaded,
        )

    def markers(self) -> dict[str, str]:
        """Return the values of environment markers (PEP 508) for this interpreter."""
        known = {"cpython": "CPython", "pypy": "PyPy", "graalpy": "GraalVM"}
        return {
            "implementation_name": self.implementation,
            "implementation_version": self.full_version,
            "os_name": self.os_name,
            "platform_machine": self.uname[4],
            "platform_release": self.uname[2],
            "platform_system": self.uname[0],
            "platform_version": self.uname[3],
            "python_full_version": self.full_version,
            "platform_python_implementation": known.get(self.implementation, self.implementation),
            "python_version": self.short_version,
            "sys_platform": self.system,
        }


def probe(executable: str, host: Host) -> InterpreterFacts:
    """Start an interpreter once and return what it says; raises InterpreterUnusable with the cause."""
    return parse_facts(ask_python(executable, host), executable)


def ask_python(executable: str, host: Host) -> bytes:
    """Start an interpreter once and return what it says as `parse_facts` reads it."""
    program = str(Path(__file__).with_name("probe_python.py"))
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
