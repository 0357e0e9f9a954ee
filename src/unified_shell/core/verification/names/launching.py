"""Really starting a program: without input, terminal and display, in an empty folder and home, within limits."""

import os
import re
import tempfile
from collections.abc import Mapping

from msgspec import Struct

from unified_shell.core.interpreters.languages import languages
from unified_shell.core.interpreters.searching import language_of
from unified_shell.core.machine.host import CREDENTIAL_PREFIXES
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.processes import run_program

from .command_versions import names_the_option, version_in

__all__ = ["Launch", "is_safe_to_start", "launch"]

# A whole application may load before it says its version.
LAUNCH_SECONDS = 20.0
NOT_GIVEN = frozenset({"DISPLAY", "WAYLAND_DISPLAY", "XAUTHORITY", "DBUS_SESSION_BUS_ADDRESS"})
COMPILER = re.compile(r"([\w.]+-)*(cc|c\+\+|gcc|g\+\+|gfortran|clang|clang\+\+|f77|f95|flang|nvcc|icx|ifx)(-[\d.]+)?")
USAGE = re.compile(r"\busage\b|\boptions?\b|\bhelp\b|unrecogni[sz]ed|invalid option|unknown option", re.IGNORECASE)
NOT_FOUND = re.compile(r"\bnot found\b|cannot open shared object|No such file or directory", re.IGNORECASE)
# What programs end with that were called wrongly; 64 by sysexits.h.
USAGE_CODES = (1, 2, 64)


class Launch(Struct, frozen=True, kw_only=True):
    """How a start went: `trouble` says why it does not count as one, `version` what it says it is."""

    trouble: str
    version: str
    elapsed_seconds: float


def is_safe_to_start(path: str) -> bool:
    """Tell whether asking a file for its version starts nothing else: interpreters, compilers and what names the option.

    Any other program may do its work, whatever it is given.
    """
    name = os.path.basename(path)
    known = (
        language_of(name) or COMPILER.fullmatch(name) or COMPILER.fullmatch(os.path.basename(os.path.realpath(path)))
    )
    return bool(known) or names_the_option(os.path.realpath(path))


def launch(path: str, variables: Mapping[str, str]) -> Launch:
    """Ask a program for its version, with the variables of the session that would start it.

    A message of how it is used counts as a start; that something was not found does not, whatever the exit code.
    """
    language = next((one for one in languages() if one.name == language_of(os.path.basename(path))), None)
    given = language.version_input if language is not None else ""
    words = language.version if language is not None and (language.version or given) else ("--version",)
    kept = {
        name: value
        for name, value in variables.items()
        if name not in NOT_GIVEN and not name.startswith(CREDENTIAL_PREFIXES)
    }
    with tempfile.TemporaryDirectory(prefix="ush-launch-") as folder:
        home = join(folder, "home")
        os.mkdir(home)
        ran = run_program(
            (path, *words),
            environment={**kept, "HOME": home, "XDG_RUNTIME_DIR": folder, "LC_ALL": "C.UTF-8"},
            timeout_seconds=LAUNCH_SECONDS,
            directory=folder,
            given=given.encode(),
            with_descendants=True,
        )
    said = (ran.output[:4000] + b"\n" + ran.errors[:4000]).decode("utf-8", "replace")
    trouble = ran.trouble
    if ran.returncode in USAGE_CODES and USAGE.search(said) and not NOT_FOUND.search(said):
        trouble = ""
    elif ran.returncode == 0 and (lost := next((one for one in said.splitlines() if NOT_FOUND.search(one)), "")):
        trouble = f"it says: {lost.strip()}"
    return Launch(trouble=trouble, version=version_in(said), elapsed_seconds=ran.elapsed_seconds)
