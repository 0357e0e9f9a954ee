"""What each command takes, against importing Click in a new interpreter.

Usage: python benchmarks/command_start.py [PAIRS]

Prints ratios of one run, each the median of pairs, in a scratch home with the sample study installed; output goes to a file, as
it does for programs that read it.
"""

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from unified_shell.demo.study import make_study_index

USH = str(Path(sys.executable).with_name("ush"))
# The words of each command, and the bar of the design.
ROWS = (
    ("--version", 1.3),
    ("look swarmcast --json", 2.0),
    ("look module:json", 6.0),
    ("environment list", 2.5),
    ("package list -e hive", 2.5),
    ("journal", 2.0),
    ("", 2.0),
    ("environment run hive -- true", 1.5),
    ("complete zsh package why -e hive wag", 1.5),
)


def main() -> None:
    """Make the home, take the times, print the rows."""
    pairs = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    with tempfile.TemporaryDirectory(prefix="ush-start-") as top:
        home = Path(top, "home")
        home.mkdir()
        make_study_index(str(home / "wheels"))
        variables = {"HOME": str(home), "PATH": "/usr/bin:/bin", "SHELL": "/bin/bash", "LANG": "C.UTF-8"}

        def seconds(words: list[str]) -> float:
            began = time.perf_counter()
            subprocess.run(words, env=variables, cwd=home, capture_output=True, check=False)
            return time.perf_counter() - began

        for words in ("index add apiary wheels", "environment new hive", "package get swarmcast -e hive"):
            subprocess.run([USH, *words.split(), "--yes"], env=variables, cwd=home, capture_output=True, check=True)
        for words, bar in ROWS:
            ratios = []
            for _ in range(pairs + 1):
                least = seconds([sys.executable, "-c", "import click"])
                ratios.append(seconds([USH, *words.split()]) / least)
            # The first pair warms what both read.
            print(f"ush {words}: {statistics.median(ratios[1:]):.2f}, bar {bar}", flush=True)


if __name__ == "__main__":
    main()
