"""Program files of Windows: read without running them, held against a second reader, judged, and run by wine."""

import os
import re
import shutil
import subprocess
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.wine import PROGRAM, Wine
from unified_shell.core.commands.judging import judge_file
from unified_shell.core.commands.states import State
from unified_shell.core.findings import Cause
from unified_shell.core.machine.host import System, read_host
from unified_shell.core.machine.programs.pe import lacking_windows_libraries, read_pe

COMPILER = shutil.which("x86_64-w64-mingw32-gcc")
OBJDUMP = shutil.which("x86_64-w64-mingw32-objdump")
needs_compiler = pytest.mark.skipif(not (COMPILER and OBJDUMP), reason="no compiler for Windows is here")
SOURCES = {
    "wax.c": "__declspec(dllexport) int wax(void) { return 7; }\n",
    "comb.c": "#include <stdio.h>\n__declspec(dllimport) int wax(void);\n"
    'int main(void) { FILE *f = fopen("C:\\\\t\\\\out.txt", "w"); fprintf(f, "wax %d\\n", wax()); fclose(f); return 0; }\n',
    "window.c": "#include <windows.h>\nint WINAPI WinMain(HINSTANCE a, HINSTANCE b, LPSTR c, int d) { return MessageBeep(0); }\n",
}


@pytest.fixture(scope="module")
def programs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A library, a program that needs it, and one with a window."""
    folder = tmp_path_factory.mktemp("programs")
    for name, text in SOURCES.items():
        (folder / name).write_text(text)
    for words in (
        "-shared -o wax.dll wax.c -Wl,--out-implib,libwax.a",
        "-o comb.exe comb.c -L. -lwax",
        "-mwindows -o window.exe window.c",
    ):
        subprocess.run([str(COMPILER), *words.split()], cwd=folder, check=True)
    return folder


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


@needs_compiler
@pytest.mark.skipif(not PROGRAM, reason="wine is not here")
def test_what_is_said_to_lack_a_library_does_not_start_there(programs: Path, tmp_path: Path) -> None:
    wine = Wine(tmp_path)
    folder = wine.drive / "t"
    folder.mkdir()
    shutil.copy(programs / "comb.exe", folder)
    system = [str(wine.drive / "windows/system32"), str(wine.drive / "windows")]
    assert lacking_windows_libraries(str(folder / "comb.exe"), system) == ("wax.dll",)
    wine.run(r"C:\t\comb.exe")
    assert not (folder / "out.txt").exists()
    shutil.copy(programs / "wax.dll", folder)
    assert lacking_windows_libraries(str(folder / "comb.exe"), system) == ()
    wine.run(r"C:\t\comb.exe")
    assert (folder / "out.txt").read_text().split() == ["wax", "7"]
    assert os.path.exists(folder / "comb.exe")
