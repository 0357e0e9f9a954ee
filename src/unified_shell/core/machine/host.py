"""The facts of this host, read once at the edge and handed in everywhere else."""

import os
import platform
import re
import struct
import sys
from collections.abc import Mapping
from enum import Enum

from msgspec import Struct

from .account import own_user
from .path_rules import POSIX_RULES, WINDOWS_RULES, PathRules
from .places import Place

__all__ = ["CREDENTIAL_PREFIXES", "Host", "Libc", "System", "read_host"]


# Variables that hold names and passwords for servers; nothing that we start is given them.
CREDENTIAL_PREFIXES = ("USH_USER_", "USH_PASSWORD_")


class System(Enum):
    """The operating system's family."""

    LINUX = "linux"
    MACOS = "macos"
    WINDOWS = "windows"
    OTHER = "other"


class Libc(Struct, frozen=True, kw_only=True):
    """The C library: its name (`glibc`, `musl` or empty) and version, as (major, minor)."""

    name: str = ""
    major: int = 0
    minor: int = 0

    def __str__(self) -> str:
        return f"{self.name} {self.major}.{self.minor}" if self.name else "unknown C library"


class Host(Struct, frozen=True, kw_only=True):
    """What is true of this machine and this session. `variables` are (name, value) pairs."""

    system: System
    system_text: str
    architecture: str
    word_size_bits: int
    libc: Libc
    home: Place
    host_name: str
    user_name: str
    user_id: int
    login_shell: Place
    working_directory: Place
    variables: tuple[tuple[str, str], ...]
    python: Place

    @property
    def also_runs(self) -> tuple[str, ...]:
        """Other architectures whose programs run here: the 32-bit one, where the system has a loader for it."""
        return {"x86_64": ("i386",), "aarch64": ("arm",)}.get(self.architecture, ())

    @property
    def platform(self) -> str:
        """This kind of machine as descriptions name it, such as `linux-x86_64`."""
        return f"{self.system.value.lower()}-{self.architecture}"

    @property
    def paths(self) -> PathRules:
        """The rules of its paths."""
        return WINDOWS_RULES if self.system is System.WINDOWS else POSIX_RULES

    @property
    def scripts_name(self) -> str:
        """The folder of commands in an environment here."""
        return "Scripts" if self.system is System.WINDOWS else "bin"

    @property
    def python_name(self) -> str:
        """The name of Python's own file there."""
        return "python.exe" if self.system is System.WINDOWS else "python"

    @property
    def has_batch_files(self) -> bool:
        """Whether its prompt runs batch files, and its own programs open a zip: Windows'."""
        return self.system is System.WINDOWS

    def variable(self, name: str, default: str = "") -> str:
        """Return the value of an environment variable."""
        return next((value for key, value in self.variables if key == name), default)

    def environment(self) -> dict[str, str]:
        """Return the environment variables as a new dictionary."""
        return dict(self.variables)

    def search_path(self, variable: str = "PATH") -> tuple[str, ...]:
        """Return the entries of a search path as they stand, empty ones too."""
        value = self.variable(variable)
        return tuple(value.split(os.pathsep)) if value else ()


def read_host(variables: Mapping[str, str] | None = None) -> Host:
    """Read the host's facts; `variables` replaces the environment of this process."""
    names = dict(os.environ if variables is None else variables)
    user_name, login_shell, home = _account(names)
    return Host(
        system=_system(),
        system_text=_system_text(),
        architecture=platform.machine().lower(),
        word_size_bits=struct.calcsize("P") * 8,
        libc=_libc(),
        home=Place(home),
        host_name=platform.node(),
        user_name=user_name,
        user_id=own_user(),
        login_shell=Place(login_shell),
        working_directory=Place(_working_directory()),
        variables=tuple(names.items()),
        python=Place(sys.executable),
    )


def _system() -> System:
    by_name = {"linux": System.LINUX, "darwin": System.MACOS, "win32": System.WINDOWS}
    return by_name.get(sys.platform, System.OTHER)


def _system_text() -> str:
    try:
        facts = platform.freedesktop_os_release()
    except OSError:
        return f"{platform.system()} {platform.release()}"
    return facts.get("PRETTY_NAME", platform.system())


def _account(names: Mapping[str, str]) -> tuple[str, str, str]:
    """Return user name, login shell and home; the account's record where a variable is missing."""
    try:
        import pwd

        record = pwd.getpwuid(own_user())
        user, shell, home = record.pw_name, record.pw_shell, record.pw_dir
    except (ImportError, KeyError):
        user, shell, home = "", "", os.path.expanduser("~")
    # A relative one would mean another home in each directory.
    told = names.get("HOME", "")
    return user or names.get("USER", ""), names.get("SHELL") or shell, told if os.path.isabs(told) else home


def _working_directory() -> str:
    try:
        return os.getcwd()
    except OSError:
        return "/"


def _libc() -> Libc:
    try:
        text = os.confstr("CS_GNU_LIBC_VERSION") or ""
    except (AttributeError, ValueError, OSError):
        text = ""
    found = re.match(r"(\w+) (\d+)\.(\d+)", text)
    if found is None:
        return Libc()
    return Libc(name=found[1], major=int(found[2]), minor=int(found[3]))
