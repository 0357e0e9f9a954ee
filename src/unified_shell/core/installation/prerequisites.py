"""What a build will find, told beforehand: by the compiler and the linker themselves, one run of each.

A scan for header files would miss a library whose link is gone, folders of this architecture, and what the
person's own CPATH and LIBRARY_PATH add.
"""

import os
import re
from collections.abc import Sequence

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.machine.programs.executables import is_executable_file

__all__ = ["check_tools", "find_compiler", "missing_pieces"]

COMPILERS = ("cc", "gcc", "clang")


# A few lines are compiled and linked, from a slow volume perhaps.
PROBE_SECONDS = 60.0


def find_compiler(host: Host) -> str:
    """Return the C compiler; raises CouldNot where there is none."""
    named = host.variable("CC")
    for name in (named, *COMPILERS):
        path = _program(name, host) if name else ""
        if path:
            return path
    raise CouldNot(
        "there is no C compiler here (cc, gcc, clang), and a source archive needs one",
        next_step="install one: apt-get install build-essential   (or get a ready-built archive)",
    )


def check_tools(names: Sequence[str], host: Host) -> None:
    """Raise CouldNot for the first program that a build needs and a session does not find."""
    for name in names:
        if not _program(name, host):
            raise CouldNot(
                f"the build needs {name}, which is not installed", next_step="apt-get install build-essential"
            )


def missing_pieces(headers: Sequence[str], libraries: Sequence[str], host: Host) -> tuple[str, ...]:
    """Return the headers that cannot be included and the libraries (`-lNAME`) that cannot be linked."""
    compiler = find_compiler(host)
    folders = [f"-I{one}" for one in INCLUDE_FOLDERS if os.path.isdir(one)]
    asked = "".join(
        f"#if __has_include(<{header}>)\nHAVE {number}\n#endif\n" for number, header in enumerate(headers)
    )
    said = _run(compiler, ("-E", "-P", "-x", "c", *folders, "-"), host, asked).output.decode("ascii", "replace")
    have = {int(number) for number in re.findall(r"^HAVE (\d+)$", said, re.MULTILINE)}
    gone = [header for number, header in enumerate(headers) if number not in have]
    linked = [f"-l{name}" for name in libraries]
    ran = _run(compiler, ("-shared", "-o", "/dev/null", "-Wl,--no-as-needed", *linked), host, "")
    if ran.returncode != 0:
        errors = ran.errors.decode("utf-8", "replace")
        # Both common linkers name each library in one run: "cannot find -lX", "unable to find library -lX".
        gone += [one for one in linked if re.search(rf"find (library )?{re.escape(one)}\b", errors)]
    return tuple(gone)


def _run(compiler: str, words: Sequence[str], host: Host, given: str) -> Ran:
    variables = {**host.environment(), "LC_ALL": "C"}
    return run_program(
        (compiler, *words), environment=variables, timeout_seconds=PROBE_SECONDS, given=given.encode("utf-8")
    )


def _program(name: str, host: Host) -> str:
    if "/" in name:
        return name if is_executable_file(name) else ""
    return next((join(one, name) for one in host.search_path() if is_executable_file(join(one, name))), "")


INCLUDE_FOLDERS = ("/usr/include/tcl8.6", "/usr/include/tirpc", "/usr/include/ncursesw")
