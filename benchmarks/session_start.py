"""Start of each shell with the hook-up, against the same without it and against hand-written lines.

Usage: python benchmarks/session_start.py [RUNS]

Prints, for bash, dash, zsh and fish, the ratio of start-up times in one run, pair by pair (median), with the
design's bars: 1.05 for the hook-up and 10 entries against none; 1.0 for 30 entries against those 30 written
by hand as the usual one-line assignments.
"""

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from unified_shell.core.machine.places import Place
from unified_shell.core.shells.dialects.dialect import SearchPath, SessionContent, Side
from unified_shell.core.shells.dialects.table import dialect_named

FILES = {"bash": ".bashrc", "dash": ".profile", "zsh": ".zshrc", "fish": ".config/fish/config.fish"}
WORDS = {
    "bash": ["bash", "-i", "-c", ":"],
    "dash": ["dash", "-l", "-c", ":"],
    "zsh": ["zsh", "-i", "-c", ":"],
    "fish": ["fish", "-i", "-c", "true"],
}
COMMON = {
    "bash": "alias ll='ls -l'\n",
    "dash": "umask 022\n",
    "zsh": "alias ll='ls -l'\n",
    "fish": "alias ll 'ls -l'\n",
}


def make_home(top: Path, shell: str, entries: int, *, by_hand: bool) -> Path:
    """Make a home whose startup file has these entries, wired or written by hand."""
    home = top / f"{shell}-{entries}-{by_hand}"
    file = home / FILES[shell]
    file.parent.mkdir(parents=True)
    folders = [home / f"tools{n}" for n in range(entries)]
    for folder in folders:
        folder.mkdir()
    text = COMMON[shell]
    dialect = dialect_named("sh" if shell == "dash" else shell)
    if by_hand:
        for folder in folders:
            quoted = dialect.quote(str(folder))
            text += f"set -gx PATH {quoted} $PATH\n" if shell == "fish" else f'export PATH={quoted}:"$PATH"\n'
    elif entries:
        session = home / "session"
        path = SearchPath(variable="PATH", side=Side.FRONT, directories=tuple(Place(str(one)) for one in folders))
        content = SessionContent(
            search_paths=(path,),
            variables=(),
            home=Place(str(home)),
            source="benchmark",
            stamp="0" * 12,
            again_file=Place(str(home / "again")),
        )
        (home / "again").write_text(dialect_named("sh").again_text(content))
        (home / "again.fish").write_text(dialect_named("fish").again_text(content))
        session.write_text(dialect.session_text(content))
        text += dialect.hook_lines(str(session), str(home)) + "\n"
    file.write_text(text)
    return home


def start(shell: str, home: Path) -> float:
    """Return the seconds that one start takes."""
    variables = {"HOME": str(home), "PATH": "/usr/bin:/bin", "TERM": "dumb", "LANG": "C.UTF-8"}
    began = time.perf_counter()
    subprocess.run(
        WORDS[shell],
        env=variables,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        check=False,
        start_new_session=True,
    )
    return time.perf_counter() - began


def ratio(shell: str, one: Path, other: Path, runs: int) -> float:
    """Return the median ratio of paired starts."""
    pairs = []
    for number in range(runs + 3):
        order = (one, other) if number % 2 else (other, one)
        took = {home: start(shell, home) for home in order}
        if number >= 3:
            pairs.append(took[one] / took[other])
    return statistics.median(pairs)


def main() -> None:
    """Measure and print."""
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    os.nice(0)
    with tempfile.TemporaryDirectory() as folder:
        print(f"{'shell':6}  {'10 entries / none (at most 1.05)':34}  30 entries / by hand (at most 1.0)")
        for shell in FILES:
            if shutil.which(shell) is None:
                print(f"{shell:6}  is not on this machine")
                continue
            top = Path(folder)
            none, ten = make_home(top, shell, 0, by_hand=False), make_home(top, shell, 10, by_hand=False)
            wired, by_hand = make_home(top, shell, 30, by_hand=False), make_home(top, shell, 30, by_hand=True)
            first, second = ratio(shell, ten, none, runs), ratio(shell, wired, by_hand, runs)
            print(f"{shell:6}  {first:<34.3f}  {second:.3f}")


if __name__ == "__main__":
    main()
