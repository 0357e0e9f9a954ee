"""Whether a file can be started, judged from what it is and needs: never by running it."""

import os
from collections.abc import Sequence

from msgspec import Struct

from unified_shell.core.findings import Cause
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.processes.quarantine import MARK, is_quarantined
from unified_shell.core.machine.programs.elf import bytes_cut_off
from unified_shell.core.machine.programs.executables import Executable, FileKind, is_executable_file, read_executable
from unified_shell.core.machine.programs.mach_o import lacking_mac_libraries, read_mach_o
from unified_shell.core.machine.programs.pe import lacking_windows_libraries, read_pe
from unified_shell.core.machine.programs.program_names import is_of_this_system, is_store_alias
from unified_shell.core.machine.programs.shared_libraries import lacking_libraries

from .states import State

__all__ = ["Judgement", "judge_file"]

PROGRAMS = (FileKind.ELF, FileKind.MACH_O, FileKind.PE)
ENV_PROGRAMS = ("/usr/bin/env", "/bin/env")


class Judgement(Struct, frozen=True, kw_only=True):
    """`state` is ready, broken or mismatched; `why` says what is wrong, `cause` the same for programs. `library` is one that
    is missing, if that is it.
    """

    kind: FileKind
    state: State = State.READY
    why: str = ""
    library: str = ""
    cause: Cause = Cause.UNKNOWN


def judge_file(path: str, host: Host, *, entries: Sequence[str], library_path: Sequence[str] = ()) -> Judgement:
    """Judge a file; `entries` and `library_path` are the search paths of the session that would start it."""
    facts = read_executable(path)
    if facts.kind is FileKind.ABSENT:
        target = os.readlink(path) if os.path.islink(path) else ""
        if target:
            return _broken(facts, f"a dangling link to {target}", Cause.LINK_DANGLES)
        return _broken(facts, "is not there", Cause.NOT_FOUND)
    if not is_executable_file(path):
        return _broken(facts, _not_executable(path, facts), Cause.NOT_EXECUTABLE)
    if is_store_alias(path, facts, host):
        return _broken(
            facts, "is an alias of the store, which opens it unless the app was got there", Cause.NO_PROGRAM
        )
    if facts.kind in (FileKind.EMPTY, FileKind.OTHER):
        kind = f"is {'an ' if facts.kind is FileKind.EMPTY else 'of '}{facts.kind.value}"
        return _broken(facts, kind, Cause.NO_PROGRAM)
    if facts.interpreter and not os.path.exists(facts.interpreter):
        needs = f"needs {facts.interpreter}, which is not there"
        if facts.interpreter.endswith("\r"):
            needs = (
                "its first line ends in a carriage return, which the system takes for part of the interpreter's name"
            )
        return _broken(facts, needs, Cause.INTERPRETER_ABSENT)
    if facts.kind is FileKind.SCRIPT:
        return _judge_script(path, facts, entries)
    lost = _lost_bytes(path, facts)
    if lost and (facts.kind is FileKind.PE or is_of_this_system(facts, host)):
        return _broken(facts, f"is cut short: {lost} bytes of the program are not in the file", Cause.CUT_SHORT)
    if facts.kind in PROGRAMS and not is_of_this_system(facts, host):
        why = f"{facts.title}; this machine is {host.system.value}, {host.architecture}"
        return Judgement(kind=facts.kind, state=State.MISMATCHED, why=why, cause=Cause.OTHER_MACHINE)
    return _judge_needs(path, facts, host, entries, library_path)


def _judge_needs(
    path: str, facts: Executable, host: Host, entries: Sequence[str], library_path: Sequence[str]
) -> Judgement:
    """Judge a program of this system by the libraries that its loader would look for."""
    if facts.kind is FileKind.PE and (absent := lacking_windows_libraries(path, _windows_folders(host, entries))):
        why = f"needs {absent[0]}, which is in no folder that the loader searches"
        return Judgement(kind=facts.kind, state=State.BROKEN, why=why, library=absent[0], cause=Cause.LIBRARY_ABSENT)
    if facts.kind is FileKind.MACH_O and (absent := lacking_mac_libraries(path, host.architecture)):
        why = f"needs {absent[0]}, which is not where the loader looks for it"
        return Judgement(kind=facts.kind, state=State.BROKEN, why=why, library=absent[0], cause=Cause.LIBRARY_ABSENT)
    if facts.kind is FileKind.MACH_O and is_quarantined(path):
        why = f"was downloaded: macOS asks before it starts it, or refuses to, while it has the mark {MARK}"
        return Judgement(kind=facts.kind, why=why)
    lacks = lacking_libraries(path, library_path) if facts.kind is FileKind.ELF else ()
    if lacks:
        missing = next((one.library for one in lacks if not one.version), "")
        cause = Cause.LIBRARY_ABSENT if missing else Cause.SYSTEM_TOO_OLD
        return Judgement(kind=facts.kind, state=State.BROKEN, why=str(lacks[0]), library=missing, cause=cause)
    return Judgement(kind=facts.kind)


def _lost_bytes(path: str, facts: Executable) -> int:
    """Return how many bytes of a program are not in its file."""
    if facts.kind is FileKind.ELF:
        return bytes_cut_off(path)
    if facts.kind is FileKind.MACH_O:
        return max((one.lost_bytes for one in read_mach_o(path)), default=0)
    found = read_pe(path) if facts.kind is FileKind.PE else None
    return found.lost_bytes if found is not None else 0


def _windows_folders(host: Host, entries: Sequence[str]) -> tuple[str, ...]:
    """Return where the loader looks behind the program's own folder: the system's, then PATH."""
    root = host.variable("SYSTEMROOT") or host.variable("SystemRoot")
    return (*((join(root, "System32"), root) if root else ()), *entries)


def _broken(facts: Executable, why: str, cause: Cause) -> Judgement:
    return Judgement(kind=facts.kind, state=State.BROKEN, why=why, cause=cause)


def _not_executable(path: str, facts: Executable) -> str:
    if facts.kind in PROGRAMS or facts.kind is FileKind.SCRIPT:
        return "has no execute bit (chmod +x)" if not os.stat(path).st_mode & 0o111 else "you may not execute it"
    return "you may not execute it"


def _judge_script(path: str, facts: Executable, entries: Sequence[str]) -> Judgement:
    """Follow a script to what its first line starts: a name that `env` looks for, or another file that cannot start."""
    if _first_line(path).endswith(b"\r\n"):
        why = "its first line ends in a carriage return, which the system takes for part of a name"
        return _broken(facts, why, Cause.INTERPRETER_ABSENT)
    if facts.interpreter in ENV_PROGRAMS:
        name = _name_for_env(path)
        found = next((join(one, name) for one in entries if one and is_executable_file(join(one, name))), "")
        if name and not found:
            return _broken(
                facts, f"its first line asks env for {name}, which is not on PATH", Cause.INTERPRETER_ABSENT
            )
        return Judgement(kind=facts.kind)
    if not is_executable_file(facts.interpreter):
        return _broken(facts, f"needs {facts.interpreter}, which is not executable", Cause.INTERPRETER_ABSENT)
    if read_executable(facts.interpreter).kind is FileKind.ELF and (lacks := lacking_libraries(facts.interpreter)):
        return _broken(facts, f"needs {facts.interpreter}, and {lacks[0]}", Cause.LIBRARY_ABSENT)
    return Judgement(kind=facts.kind)


def _name_for_env(path: str) -> str:
    words = _first_line(path)[2:].split()
    # Options of env itself, and variables, come before the name.
    names = [os.fsdecode(one) for one in words[1:] if not one.startswith(b"-") and b"=" not in one]
    return names[0] if names and "/" not in names[0] else ""


def _first_line(path: str) -> bytes:
    with open(path, "rb") as file:
        return file.readline(4096)
