"""Builds the launchers for Windows from their source with the cross compiler, and writes down how: PYTHON make_launchers.py.

The same source and compiler give the same bytes; a test builds them anew and compares.
"""

import hashlib
import subprocess
import sys
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "src/unified_shell/core/environments/trees/windows"
COMPILER = "x86_64-w64-mingw32-gcc"
OPTIONS = (
    "-Os -s -Wall -Wextra -Werror -ffreestanding -fno-stack-protector -mno-stack-arg-probe -nostdlib"
    ' -Wl,--entry=start,--no-insert-timestamp,--subsystem,{subsystem} -DPYTHON=L"{python}"'
)
KINDS = {"console": "python.exe", "windows": "pythonw.exe"}


def build(folder: Path) -> dict[str, bytes]:
    """Return the launchers by the names of their files."""
    made = {}
    for subsystem, python in KINDS.items():
        file = folder / f"x86_64-{subsystem}.exe"
        words = OPTIONS.format(subsystem=subsystem, python=python).split()
        subprocess.run([COMPILER, *words, FOLDER / "launcher.c", "-lkernel32", "-o", file], check=True)
        made[file.name] = file.read_bytes()
    return made


def compiler_version() -> str:
    """Return the compiler's own line about itself."""
    done = subprocess.run([COMPILER, "--version"], capture_output=True, text=True, check=True)
    return done.stdout.splitlines()[0]


if __name__ == "__main__":
    lines = ["# Made by docs/make_launchers.py: what the launchers are built from, with and by what."]
    lines += [f'compiler = "{compiler_version()}"', f"options = '{OPTIONS}'"]
    for name, content in build(FOLDER).items():
        lines += [
            "",
            f'["{name}"]',
            f'sha256 = "{hashlib.sha256(content).hexdigest()}"',
            f"size-bytes = {len(content)}",
        ]
    source = hashlib.sha256((FOLDER / "launcher.c").read_bytes()).hexdigest()
    lines.insert(3, f'source-sha256 = "{source}"')
    (FOLDER / "launchers.toml").write_text("\n".join(lines) + "\n")
    sys.stdout.write(f"{', '.join(KINDS)}: written\n")
