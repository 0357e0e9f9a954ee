"""What is known of a Python interpreter, as values."""

from msgspec import Struct

from unified_shell.core.distributions.tag_facts import TagFacts
from unified_shell.core.machine.host import Libc
from unified_shell.core.machine.places import Place

__all__ = ["OLDEST_BASE", "InterpreterFacts"]

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
