"""Program files of Windows: read without running them, held against a second reader, and judged; wine runs them in test_wine."""

import re
import shutil
import subprocess
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.windows_programs import OBJDUMP, make_programs, needs_compiler
from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.findings import Cause
from unified_shell.core.machine.host import System, read_host
from unified_shell.core.machine.programs.pe import lacking_windows_libraries, read_pe


@pytest.fixture(scope="module")
def programs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A library, a program that needs it, and one with a window."""
    return make_programs(tmp_path_factory.mktemp("programs"))


def _second_reading(path: Path) -> tuple[str, ...]:
    done = subprocess.run([str(OBJDUMP), "-p", path], capture_output=True, text=True, check=True)
    return tuple(re.findall(r"DLL Name: (\S+)", done.stdout))


@needs_compiler
def test_what_a_program_needs_is_what_another_reader_finds(programs: Path) -> None:
    kinds = {"wax.dll": "library", "comb.exe": "program", "window.exe": "program in a window"}
    for name, kind in kinds.items():
        found = read_pe(str(programs / name))
        assert found is not None
        assert found.title == f"{kind} for Windows on x86_64, 64 bit"
        assert found.needs == _second_reading(programs / name)
        assert not found.lost_bytes
    wines = sorted(Path("/usr/lib/x86_64-linux-gnu/wine/x86_64-windows").glob("*.[ed]*"))[:60]
    for path in wines:
        found = read_pe(str(path))
        assert found is not None, path
        assert found.needs == _second_reading(path), path
        assert found.is_library == (path.suffix != ".exe"), path


@needs_compiler
@settings(max_examples=60, deadline=None)
@given(data=st.data())
def test_a_cut_or_altered_file_is_told_or_read_and_never_a_failure(programs: Path, data: st.DataObject) -> None:
    content = bytearray((programs / "comb.exe").read_bytes())
    cut = data.draw(st.integers(0, len(content)))
    for at in data.draw(st.lists(st.integers(0, 1000), max_size=6)):
        content[at] = data.draw(st.integers(0, 255))
    place = programs / "altered.exe"
    place.write_bytes(content[:cut])
    read_pe(str(place))
    lacking_windows_libraries(str(place), [str(programs)])
    place.write_bytes((programs / "comb.exe").read_bytes()[: 2048 + cut // 4])
    found = read_pe(str(place))
    assert found is not None
    assert found.lost_bytes, "its sections are not in the file"


def test_an_alias_of_the_store_is_called_that(tmp_path: Path) -> None:
    (tmp_path / "WindowsApps").mkdir()
    (tmp_path / "WindowsApps/python.exe").write_bytes(b"")
    (tmp_path / "WindowsApps/python.exe").chmod(0o755)
    host = msgspec.structs.replace(read_host({"PATH": "/bin"}), system=System.WINDOWS)
    found = judge_file(str(tmp_path / "WindowsApps/python.exe"), host, entries=())
    assert (found.state, found.cause) == (State.BROKEN, Cause.NO_PROGRAM)
    assert "an alias of the store" in found.why
    assert (
        "an empty file"
        in judge_file(str(tmp_path / "WindowsApps/python.exe"), read_host({"PATH": "/bin"}), entries=()).why
    )


@needs_compiler
def test_a_library_that_is_nowhere_and_a_part_of_a_program_are_faults(programs: Path, tmp_path: Path) -> None:
    (tmp_path / "System32").mkdir()
    for name in ("KERNEL32.dll", "msvcrt.dll", "MSVCRT.DLL"):
        shutil.copy(programs / "wax.dll", tmp_path / "System32" / name)
    (tmp_path / "own").mkdir()
    shutil.copy(programs / "comb.exe", tmp_path / "own/comb.exe")
    host = msgspec.structs.replace(
        read_host({"SYSTEMROOT": str(tmp_path), "PATH": "/bin"}), system=System.WINDOWS, architecture="x86_64"
    )

    def judged(name: str, *entries: str) -> tuple[State, Cause, str]:
        found = judge_file(str(tmp_path / "own" / name), host, entries=entries)
        return found.state, found.cause, found.library

    assert judged("comb.exe") == (State.BROKEN, Cause.LIBRARY_ABSENT, "wax.dll")
    assert judged("comb.exe", str(programs)) == (State.READY, Cause.UNKNOWN, "")
    # Beside the program, in any case of letters.
    shutil.copy(programs / "wax.dll", tmp_path / "own/WAX.DLL")
    assert judged("comb.exe") == (State.READY, Cause.UNKNOWN, "")
    whole = (programs / "comb.exe").read_bytes()
    part = tmp_path / "own/part.exe"
    part.write_bytes(whole[:4096])
    part.chmod(0o755)
    assert judged("part.exe")[:2] == (State.BROKEN, Cause.CUT_SHORT)
    here = judge_file(str(part), read_host(), entries=())
    assert here.cause is Cause.CUT_SHORT, "also where it could not be started anyway"
    assert judge_file(str(tmp_path / "own/comb.exe"), read_host(), entries=()).cause is Cause.OTHER_MACHINE
