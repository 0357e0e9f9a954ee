"""Programs for Windows, made by the system's cross compiler."""

import shutil
import subprocess
from pathlib import Path

import pytest

__all__ = ["COMPILER", "OBJDUMP", "make_programs", "needs_compiler"]

COMPILER = shutil.which("x86_64-w64-mingw32-gcc")
OBJDUMP = shutil.which("x86_64-w64-mingw32-objdump")
needs_compiler = pytest.mark.skipif(not (COMPILER and OBJDUMP), reason="no compiler for Windows is here")
SOURCES = {
    "wax.c": "__declspec(dllexport) int wax(void) { return 7; }\n",
    "comb.c": "#include <stdio.h>\n__declspec(dllimport) int wax(void);\n"
    'int main(void) { FILE *f = fopen("C:\\\\t\\\\out.txt", "w"); fprintf(f, "wax %d\\n", wax()); fclose(f); return 0; }\n',
    "window.c": "#include <windows.h>\nint WINAPI WinMain(HINSTANCE a, HINSTANCE b, LPSTR c, int d) { return MessageBeep(0); }\n",
}


def make_programs(folder: Path) -> Path:
    """Make a library, a program that needs it, and one with a window."""
    for name, text in SOURCES.items():
        (folder / name).write_text(text)
    for words in (
        "-shared -o wax.dll wax.c -Wl,--out-implib,libwax.a",
        "-o comb.exe comb.c -L. -lwax",
        "-mwindows -o window.exe window.c",
    ):
        subprocess.run([str(COMPILER), *words.split()], cwd=folder, check=True)
    return folder
