"""Programs for Windows, made by the system's cross compiler."""

import shutil
import subprocess
from pathlib import Path

import pytest

__all__ = ["COMPILER", "OBJDUMP", "compiled", "make_fake_python", "make_programs", "make_starter", "needs_compiler"]

COMPILER = shutil.which("x86_64-w64-mingw32-gcc")
OBJDUMP = shutil.which("x86_64-w64-mingw32-objdump")
needs_compiler = pytest.mark.skipif(not (COMPILER and OBJDUMP), reason="no compiler for Windows is here")
# Stands for an environment's Python: what it got is added to a file in UTF-16, a zero behind it; with `--wait` it stays.
FAKE_PYTHON = r"""
#include <windows.h>
int wmain(int count, wchar_t **words) {
    DWORD size, at;
    const wchar_t *line = GetCommandLineW();
    HANDLE file = CreateFileW(L"C:\\t\\got.txt", FILE_APPEND_DATA, 0, NULL, OPEN_ALWAYS, 0, NULL);
    WriteFile(file, line, lstrlenW(line) * 2, &size, NULL);
    for (at = 1; at < (DWORD)count; at++) {
        WriteFile(file, L"\n", 2, &size, NULL);
        WriteFile(file, words[at], lstrlenW(words[at]) * 2, &size, NULL);
    }
    WriteFile(file, L"", 2, &size, NULL);
    CloseHandle(file);
    if (count > 2 && !lstrcmpW(words[2], L"--wait")) Sleep(60000);
    return count > 2 && !lstrcmpW(words[2], L"--code") ? _wtoi(words[3]) : 0;
}
"""
# Starts programs one after another, each with the very command line that a line of a file holds.
STARTER = r"""
#include <windows.h>
int main(void) {
    static wchar_t line[32767];
    static STARTUPINFOW how;
    PROCESS_INFORMATION child;
    DWORD size;
    HANDLE file = CreateFileW(L"C:\\t\\line.txt", GENERIC_READ, 0, NULL, OPEN_EXISTING, 0, NULL);
    ReadFile(file, line, 65000, &size, NULL);
    CloseHandle(file);
    for (wchar_t *at = line, *end; *at; at = end + 1) {
        for (end = at; *end != L'\n'; end++) {}
        *end = 0;
        if (!CreateProcessW(NULL, at, NULL, NULL, FALSE, 0, NULL, NULL, &how, &child)) return 1;
        WaitForSingleObject(child.hProcess, INFINITE);
    }
    return 0;
}
"""
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


def make_fake_python(place: Path) -> Path:
    """Make the program that stands for an environment's Python."""
    return compiled(place, FAKE_PYTHON, "-municode")


def make_starter(place: Path) -> Path:
    """Make the program that starts another one with the command line in C:\\t\\line.txt."""
    return compiled(place, STARTER)


def compiled(place: Path, text: str, *options: str) -> Path:
    """Make a program from its source."""
    source = place.with_suffix(".c")
    source.write_text(text)
    subprocess.run([str(COMPILER), *options, "-O1", "-o", str(place), str(source)], check=True)
    return place
