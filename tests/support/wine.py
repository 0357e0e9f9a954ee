"""A second implementation of Windows' registry, prompt and program loader: wine's, in a prefix of its own."""

import os
import subprocess
import time
from collections.abc import Sequence
from pathlib import Path

PROGRAM = next((one for one in ("/usr/lib/wine/wine64", "/usr/bin/wine64") if os.path.exists(one)), "")


class Wine:
    """Runs programs and batch files in a prefix; judged is what they write to files, never a code that a stub may give."""

    def __init__(self, top: Path) -> None:
        self.top = top
        self.drive = top / "prefix/drive_c"
        (top / "home").mkdir()
        self.run("wineboot", "-i", seconds=120)
        # It goes on behind our back; a program that is started meanwhile may find nothing yet.
        for _ in range(60):
            self.run("cmd", "/d", "/c", r"echo ready>C:\ready.txt")
            if (self.drive / "ready.txt").exists():
                break
            time.sleep(0.5)

    def run(self, *words: str, seconds: float = 60) -> int:
        """Run a program of the prefix and return its exit code."""
        done = subprocess.run(
            [PROGRAM, *words], env=self.variables(), cwd=self.top, stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=seconds, check=False,
        )  # fmt: skip
        return done.returncode

    def begin(self, *words: str) -> "subprocess.Popen[bytes]":
        """Start a program of the prefix, which goes on."""
        return subprocess.Popen([PROGRAM, *words], env=self.variables(), cwd=self.top, stdin=subprocess.DEVNULL)

    def start_as(self, lines: Sequence[str]) -> None:
        """Start programs by these very command lines: a small program of the prefix does it, as no shell would."""
        (self.drive / "t/line.txt").write_bytes("".join(f"{one}\n" for one in lines).encode("utf-16-le"))
        self.run(r"C:\t\starter.exe")

    def batch(self, text: str, name: str = "batch.cmd") -> list[str]:
        """Run a batch file in a new session, and return the lines that it wrote to `out.txt` beside it."""
        (self.drive / "t").mkdir(exist_ok=True)
        (self.drive / "t/out.txt").write_text("")
        (self.drive / "t" / name).write_bytes(text.replace("\n", "\r\n").encode("cp437"))
        self.run("cmd", "/d", "/c", rf"C:\t\{name}")
        return (self.drive / "t/out.txt").read_bytes().decode("cp437").splitlines()

    def variables(self) -> dict[str, str]:
        """Return the variables that a program of the prefix is started with."""
        return {
            "HOME": str(self.top / "home"),
            "PATH": "/usr/bin:/bin",
            "WINEPREFIX": str(self.top / "prefix"),
            "WINEDEBUG": "-all",
            "LANG": "C.UTF-8",
        }

    def exported(self, key: str) -> bytes:
        """Return what the registry has below a key, as its own program writes it."""
        place = self.drive / "exported.reg"
        place.unlink(missing_ok=True)
        self.run("reg", "export", key, r"C:\exported.reg", "/y")
        end = time.monotonic() + 10
        while not place.exists() and time.monotonic() < end:
            time.sleep(0.1)
        return place.read_bytes()
