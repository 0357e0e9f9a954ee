"""What each command takes, against importing Click in a new interpreter.

Usage: python benchmarks/command_start.py [PAIRS]

Prints ratios of one run, each the median of pairs, in a scratch home with the sample study installed; output goes to a file, as
it does for programs that read it. Of a look for a module, what the interpreters themselves take is told apart: the same
questions, asked at the same time, in the same pair.
"""

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.machine.host import Host, read_host
from unified_shell.core.machine.processes.pool import map_at_once
from unified_shell.core.verification.modules.module_questions import AskedPython, other_question, python_question
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


def seconds_of_asking(module: str, host: Host) -> float:
    """Ask every interpreter here for a module, as a look does, and return how long that took."""
    found, variables = discover(host), host.environment()
    asked = [AskedPython(owner="", executable=one.names[0], facts=one.facts, variables=variables)
             for one in found.python if one.facts is not None]  # fmt: skip
    questions = [*(python_question(module, one) for one in asked),
                 *(other_question(module, one, variables) for one in found.others if one.version)]  # fmt: skip
    began = time.perf_counter()
    map_at_once(lambda ask: ask(), questions)
    return time.perf_counter() - began


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
        host = read_host(variables)
        for words, bar in ROWS:
            ratios, apart = [], []
            for _ in range(pairs + 1):
                least = seconds([sys.executable, "-c", "import click"])
                taken = seconds([USH, *words.split()])
                asking = seconds_of_asking("json", host) if "module:json" in words else 0.0
                ratios.append(taken / least)
                apart.append((taken - asking) / least)
            # The first pair warms what both read.
            whole, own = statistics.median(ratios[1:]), statistics.median(apart[1:])
            told = f"{own:.2f} (with what the interpreters take {whole:.2f})" if own != whole else f"{whole:.2f}"
            print(f"ush {words}: {told}, bar {bar}", flush=True)


if __name__ == "__main__":
    main()
