"""Environments filled and run, against the least that could do it.

Usage: python benchmarks/environments.py [FOLDER OF WHEELS]

Prints ratios of one run, each the median of pairs: a warm environment (from a solved set to switched) against `cp -al` of
the same tree; the same as a whole command against a bare start, `cp -al` and importing what came in one process; a cold one against
unzipping, hashing and byte-compiling with two workers; `ush environment run E -- true` against importing click and
`true`; verifying an environment against importing all of it in one process. Bars are 1.5, 1.5, 1.1, 1.5, 1.5. Without a
folder it makes fifteen wheels of its own, about 6,000 files. Then the disk that environments of one set take together.
"""

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from packaging.requirements import Requirement

from unified_shell.core.changes.executor import Executor
from unified_shell.core.changes.journal import Journal
from unified_shell.core.changes.plan import Change
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.environments.lifecycle import plan_new
from unified_shell.core.environments.model.registry import find_environment
from unified_shell.core.environments.packages.getting import PackageRequest, plan_get
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.registered import Index
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.host import Host, read_host
from unified_shell.core.machine.locations import Locations, locations_of
from unified_shell.core.transfers.fetching import Fetcher
from unified_shell.core.verification.packages.environment_checks import check_environment
from unified_shell.core.verification.packages.installed_metadata import read_installed
from unified_shell.demo.wheel_maker import WheelSource, make_wheel

PAIRS = 5
USH = str(Path(sys.executable).with_name("ush"))
UNZIP = "import hashlib,sys,zipfile\nfor path in sys.argv[2:]:\n with zipfile.ZipFile(path) as z: z.extractall(sys.argv[1])\n with open(path,'rb') as f: hashlib.file_digest(f,'sha256')"


def make_wheels(folder: Path) -> None:
    """Make fifteen wheels of four hundred modules, which take as long to compile as common ones do."""
    body = "\n\n".join(
        f"def count_{n}(bees, hives={n}):\n    total = sum(one * {n} for one in bees if one > hives)\n"
        f"    return {{'hives': hives, 'total': total, 'mean': total / max(len(bees), 1)}}"
        for n in range(25)
    )
    for number in range(15):
        files = {f"bee{number}/__init__.py": b""}
        files |= {f"bee{number}/part{n % 20}/comb{n}.py": f"{body}\nnumber = {n}\n".encode() for n in range(400)}
        make_wheel(WheelSource(project=f"bee{number}", version="1.0", files=files), str(folder))


class Bench:
    """An account in a scratch home, with an index of the wheels."""

    def __init__(self, top: Path, wheels: Path) -> None:
        self.top, self.wheels = top, wheels
        self.variables = {"HOME": str(top / "home"), "PATH": os.environ["PATH"], "USH_HOME": str(top / "ush")}
        self.host: Host = read_host(self.variables)
        self.locations: Locations = locations_of(self.host)
        self.facts = probe(sys.executable, self.host)
        if self.facts.environment_prefix:
            self.facts = probe(self.facts.base_prefix + "/bin/python3", self.host)
        self.client = IndexClient([Index(name="own", address=str(wheels))], Fetcher(self.host), self.locations.cache)
        self.requests = tuple(
            Requirement(f"{name.project}=={name.version}")
            for name in map(parse_wheel_name, sorted(os.listdir(wheels)))
            if name is not None
        )

    def executor(self) -> Executor:
        return Executor(locations=self.locations, journal=Journal(self.locations.data + "/journal.sqlite"))

    def empty(self, name: str) -> None:
        self.executor().perform(plan_new(name, self.facts, self.host, self.locations))

    def filling(self, name: str) -> Change:
        found = find_environment(name, self.host, self.locations)
        return plan_get(PackageRequest(requests=self.requests), found, self.client, self.host, self.locations)

    def prefix(self, name: str) -> str:
        return os.path.realpath(f"{self.locations.data}/environments/{name}")

    def forget_store(self) -> None:
        for place in ("store", "editions", "environments"):
            shutil.rmtree(f"{self.locations.data}/{place}", ignore_errors=True)


def seconds(work: Callable[[], object]) -> float:
    """Return how long something takes."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def run(*words: str, variables: dict[str, str] | None = None) -> None:
    """Run a program that must end well."""
    subprocess.run(words, env=variables, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def paired(
    ours: Callable[[], object], theirs: Callable[[], object], before: Callable[[int], object] = lambda _n: None
) -> tuple[float, float, float]:
    """Return the median ratio of pairs, and the median seconds of each; what `before` does is not counted."""
    pairs = []
    for number in range(PAIRS):
        before(number)
        pairs.append((seconds(ours), seconds(theirs)))
    return (
        statistics.median(one / two for one, two in pairs),
        statistics.median(one for one, _ in pairs),
        statistics.median(two for _, two in pairs),
    )


def least_cold(wheels: Path, target: Path) -> None:
    """Unzip, hash and byte-compile with two workers, in processes of their own."""
    shutil.rmtree(target, ignore_errors=True)
    target.mkdir()
    paths = sorted(map(str, wheels.glob("*.whl")))
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda part: run(sys.executable, "-c", UNZIP, str(target), *part), (paths[::2], paths[1::2])))
    run(sys.executable, "-m", "compileall", "-q", "-j2", str(target))


def told(what: str, found: tuple[float, float, float]) -> None:
    """Print one row."""
    print(f"{what}: {found[0]:.2f}   ({found[1]:.3f} s, {found[2]:.3f} s)", flush=True)


def measure_core(bench: Bench, top: Path) -> str:
    """Print the cold and the warm row of the core; returns a tree that is filled."""
    change: list[Change] = []

    def ready(number: int, *, cold: bool) -> None:
        if cold:
            bench.forget_store()
        bench.empty(f"e{number}{cold:d}")
        change[:] = [bench.filling(f"e{number}{cold:d}")]

    def fill() -> None:
        bench.executor().perform(change[0])

    cold = paired(fill, lambda: least_cold(bench.wheels, top / "least"), lambda n: ready(n, cold=True))
    tree = bench.prefix(f"e{PAIRS - 1}1")
    files = sum(len(names) for _, _, names in os.walk(tree))
    print(f"{len(bench.requests)} distributions, {files} files")
    told("cold, against unzip, hash, compileall", cold)
    warm = paired(fill, lambda: copied(tree, top), lambda n: ready(n, cold=False))
    told("warm, against cp -al", warm)
    return tree


def imports_of(tree: str) -> str:
    """Return a program that imports what an environment's distributions bring."""
    (site,) = Path(tree).glob("lib/python3.*/site-packages")
    names = sorted(one.name for one in site.iterdir() if (one / "__init__.py").is_file())
    return "; ".join(f"import {name}" for name in names)


def copied(tree: str, top: Path) -> None:
    """Copy a tree by hard links."""
    run("cp", "-al", tree, tempfile.mkdtemp(dir=top) + "/copy")


def measure_commands(bench: Bench, top: Path, tree: str) -> None:
    """Print the rows of whole commands, and the disk that several environments take."""
    words = [str(one) for one in bench.requests]
    run(USH, "index", "add", "own", str(bench.wheels), "--yes", variables=bench.variables)
    number = iter(range(1000))

    def whole() -> None:
        run(USH, "package", "get", *words, "-e", f"w{next(number)}", "--yes", variables=bench.variables)

    def least() -> None:
        run(sys.executable, "-c", "import click, packaging.requirements")
        copied(tree, top)
        run(f"{tree}/bin/python", "-I", "-B", "-c", imports_of(tree))

    told("the whole command, against its least", paired(whole, least, lambda n: bench.empty(f"w{n}")))

    def least_run() -> None:
        run(sys.executable, "-c", "import click")
        run("true")

    into = paired(lambda: run(USH, "environment", "run", "w0", "--", "true", variables=bench.variables), least_run)
    told("environment run, against import click and true", into)
    found = find_environment("w0", bench.host, bench.locations)
    names = sorted({name for one in read_installed(found).values() for name in one.imports})
    imports = imports_of(tree)
    verifying = paired(
        lambda: check_environment(found, bench.host), lambda: run(f"{tree}/bin/python", "-I", "-B", "-c", imports)
    )
    told(f"verifying {len(names)} imports, against importing them", verifying)
    one = disk_bytes([tree])
    several = disk_bytes([tree, *(bench.prefix(f"w{n}") for n in range(PAIRS))])
    print(f"disk: one takes {one / 1e6:.0f} MB, each further one {(several - one) / PAIRS / 1e6:.2f} MB")


def main() -> None:
    """Print the ratios."""
    with tempfile.TemporaryDirectory(prefix="ush-bench-") as name:
        top = Path(name)
        wheels = Path(sys.argv[1]) if sys.argv[1:] else top / "wheels"
        if not sys.argv[1:]:
            make_wheels(wheels)
        bench = Bench(top, wheels)
        measure_commands(bench, top, measure_core(bench, top))


def disk_bytes(trees: list[str]) -> int:
    """Return what trees take on disk together, shared files counted once."""
    done = subprocess.run(["du", "-s", "-B1", "--total", *trees], capture_output=True, text=True, check=True)
    return int(done.stdout.split("\n")[-2].split()[0])


if __name__ == "__main__":
    main()
