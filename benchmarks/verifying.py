"""Verifying the imports of an environment, against importing all of it in one process.

Usage: python benchmarks/verifying.py [ENVIRONMENT]

Prints ratios of one run, each the median of pairs: the core call that checks an environment (files, requirements,
imports, entry points), and the imports alone. ENVIRONMENT is one of this account's own; without it, one is made of 100
distributions that depend on each other, each with 20 modules. Beside them the floor: the same check of an environment with
one distribution of one line, which is starts of interpreters and little else. The bar for the imports is 1.5.
"""

import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from unified_shell.core.environments.model.base_interpreter import base_of
from unified_shell.core.environments.model.registry import Environment, find_environment
from unified_shell.core.machine.host import Host, read_host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.verification.packages.environment_checks import check_environment
from unified_shell.core.verification.packages.installed_metadata import read_installed
from unified_shell.core.verification.packages.shared_imports import loaded_together
from unified_shell.demo.wheel_maker import WheelSource, make_wheel

PAIRS = 5
USH = str(Path(sys.executable).with_name("ush"))


def main() -> None:
    """Print the ratios."""
    if sys.argv[1:]:
        host = read_host()
        measure(find_environment(sys.argv[1], host, locations_of(host)), host)
        return
    with tempfile.TemporaryDirectory(prefix="ush-bench-") as name:
        top = Path(name)
        host = read_host({"HOME": name, "PATH": "/usr/bin:/bin", "SHELL": "/bin/sh"})
        make_wheels(top / "wheels")
        run(host, "index", "add", "own", str(top / "wheels"), "--yes")
        for environment, words in (("many", [f"bee{n}" for n in range(100)]), ("one", ["queen"])):
            run(host, "environment", "new", environment, "--yes")
            run(host, "package", "get", *words, "-e", environment, "--yes")
            measure(find_environment(environment, host, locations_of(host)), host)


def make_wheels(folder: Path) -> None:
    """Make 100 distributions in chains of ten, whose modules take as long to load as small ones do, and one more."""
    folder.mkdir()
    body = "\n\n".join(f"def count_{n}(bees, hives={n}):\n    return sum(bees) * hives" for n in range(40))
    for number in range(100):
        imports = "".join(f"from . import comb{n}\n" for n in range(20))
        files = {f"bee{number}/__init__.py": imports.encode()}
        files |= {f"bee{number}/comb{n}.py": f"import json, re\n{body}\n".encode() for n in range(20)}
        requires = (f"bee{number - 1}",) if number % 10 else ()
        make_wheel(WheelSource(project=f"bee{number}", version="1.0", files=files, requires=requires), str(folder))
    make_wheel(WheelSource(project="queen", version="1.0", files={"queen.py": b"x = 1\n"}), str(folder))


def measure(environment: Environment, host: Host) -> None:
    """Print the rows of one environment."""
    facts, installed = base_of(environment, host), read_installed(environment)
    names = sorted({name for one in installed.values() for name in one.imports})
    code = f"import importlib\nfor name in {names!r}:\n    try: importlib.import_module(name)\n    except Exception: pass"
    projects = list(installed)

    def least() -> None:
        command = [environment.layout.python, "-I", "-B", "-W", "ignore", "-c", code]
        subprocess.run(command, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    told(
        f"{environment.name}, {len(names)} imports",
        least,
        lambda: loaded_together(projects, installed, facts, environment, host),
    )
    told(f"{environment.name}, all checks", least, lambda: check_environment(environment, host))


def told(title: str, least: Callable[[], None], work: Callable[[], object]) -> None:
    """Print the median ratio of pairs, with both medians in seconds."""
    pairs = [(seconds(work), seconds(least)) for _ in range(PAIRS)]
    ratio = statistics.median(ours / theirs for ours, theirs in pairs)
    ours, theirs = (statistics.median(one[at] for one in pairs) for at in (0, 1))
    print(f"{title}, against importing them in one process: {ratio:.2f} ({ours:.2f} s, {theirs:.2f} s)")


def seconds(work: Callable[[], object]) -> float:
    """Return how long it takes."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def run(host: Host, *words: str) -> None:
    """Run `ush` in the scratch home."""
    subprocess.run([USH, *words], env=host.environment(), check=True, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
