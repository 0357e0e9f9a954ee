"""What a build will find, told beforehand: by the compiler and the linker themselves, one run of each.

A scan for header files would miss a library whose link is gone, folders of this architecture, and what the
person's own CPATH and LIBRARY_PATH add.
"""

import os
import re
from collections.abc import Sequence

from unified_shell.core.errors import CouldNot, UsageError
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.processes import Ran, run_program
from unified_shell.core.machine.programs.executables import is_executable_file
from unified_shell.core.next_steps import Command, ush

__all__ = ["COMPILERS", "check_tools", "chosen_compilers", "compiler_for", "find_compiler", "missing_pieces"]

# By language: the variables by which builds are told which to take, the names it is tried under, and its title.
COMPILERS: dict[str, tuple[tuple[str, ...], tuple[str, ...], str]] = {
    "c": (("CC",), ("cc", "gcc", "clang"), "C"),
    "c++": (("CXX",), ("c++", "g++", "clang++"), "C++"),
    "fortran": (("FC", "F77", "F90"), ("gfortran", "flang", "ifx"), "Fortran"),
}


# A few lines are compiled and linked, from a slow volume perhaps.
PROBE_SECONDS = 60.0


def find_compiler(host: Host) -> str:
    """Return the C compiler; raises CouldNot where there is none."""
    path = compiler_for("c", host)
    if path:
        return path
    raise CouldNot(
        "there is no C compiler here (cc, gcc, clang), and a source archive needs one",
        next_step="install one: apt-get install build-essential   (or get a ready-built archive)",
    )


def compiler_for(language: str, host: Host) -> str:
    """Return the compiler of a language that a build will take: the one that this session's variable names, else the first
    on the search path; empty where there is none.
    """
    variables, names, _ = COMPILERS[language]
    named = host.variable(variables[0])
    return next((path for name in (named, *names) if name and (path := _program(name, host))), "")


def chosen_compilers(given: Sequence[str], host: Host) -> tuple[tuple[str, str], ...]:
    """Return the languages and files of compilers that a person named as `PROGRAM`, of C, or `LANGUAGE=PROGRAM`.

    Raises UsageError for a language that none is needed of, and for a program that is not found.
    """
    found = []
    for one in given:
        language, _, name = one.rpartition("=")
        language = language.lower() or "c"
        if language not in COMPILERS:
            raise UsageError(f"{language!r} is not one of: {', '.join(COMPILERS)}", next_step="--compiler c=gcc")
        path = _program(name, host)
        if not path:
            raise UsageError(f"there is no compiler {name!r} on PATH", next_step=ush("look", name))
        found.append((language, path))
    return tuple(found)


def check_tools(names: Sequence[str], host: Host) -> None:
    """Raise CouldNot for the first program that a build needs and a session does not find."""
    for name in names:
        if not _program(name, host):
            raise CouldNot(
                f"the build needs {name}, which is not installed",
                next_step=Command(words=("apt-get", "install", "build-essential")),
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
