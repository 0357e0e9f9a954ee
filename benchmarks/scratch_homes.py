"""Running `ush` in a home of its own, as the benchmarks that are run by hand do."""

import os
import subprocess
import sys
import time
from pathlib import Path

__all__ = ["run_ush"]


def run_ush(home: Path, *words: str) -> tuple[subprocess.CompletedProcess[str], float]:
    """Run `ush` in a home and return how it ended, with its seconds."""
    variables = {"HOME": str(home), "USH_HOME": str(home / "ush"), "PATH": os.environ["PATH"], "LANG": "C.UTF-8"}
    began = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-m", "unified_shell", *words],
        env=variables,
        capture_output=True,
        text=True,
        check=False,
        cwd=home,
        stdin=subprocess.DEVNULL,
    )
    return done, time.perf_counter() - began
