"""Sets that a researcher would ask for, from a real index: solved, installed, imported, verified, solved again.

By hand only, with a network: python benchmarks/real_sets.py INDEX_ADDRESS [--ush COMMAND_FOLDER] [--only NUMBER ...]

Each set gets an environment on one of the Pythons that are named with `--pythons` (folders of their programs; else the
one that runs this), in a scratch home. Prints for each: distributions, requests, bytes and seconds of the plan and of the
get from nothing (cold), seconds of getting the same into a second environment (warm), whether all checks passed, and whether
asking again finds nothing to do.
"""

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SETS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("3.12", ("numpy", "scipy", "pandas", "matplotlib", "sympy")),
    ("3.11", ("notebook",)),
    ("3.11", ("scikit-learn", "seaborn")),
    ("3.11", ("xarray", "netCDF4", "dask[array]")),
    ("3.12", ("astropy",)),
    ("3.10", ("statsmodels", "patsy")),
    ("3.12", ("scikit-image", "imageio")),
    ("3.9", ("requests", "pydantic<2", "httpx")),
    ("3.13", ("biopython",)),
    ("3.11", ("networkx", "igraph")),
    ("3.12", ("pyarrow", "polars")),
    ("3.10", ("sqlalchemy", "alembic", "psycopg2-binary")),
    ("3.11", ("h5py", "tables")),
    ("3.12", ("numba",)),
    ("3.11", ("plotly", "dash")),
    ("3.13", ("pytest", "hypothesis", "coverage")),
    ("3.11", ("rasterio", "affine")),
    ("3.12", ("sphinx", "numpydoc", "myst-parser")),
    ("3.9", ("lxml", "beautifulsoup4", "openpyxl")),
    ("3.12", ("zarr", "fsspec", "s3fs")),
    ("3.10", ("librosa", "soundfile")),
)


def main() -> None:
    """Run the sets and print a line for each."""
    options = _options()
    home = Path(tempfile.mkdtemp(prefix="real-sets-"))
    pythons = _pythons(options.pythons)
    try:
        session = _Session(home, options.ush)
        session.run("index", "add", "real", options.address, "--yes")
        for number, (version, packages) in enumerate(SETS, 1):
            if options.only and number not in options.only:
                continue
            python = pythons.get(version, sys.executable)
            print(
                json.dumps(
                    {
                        "set": number,
                        "python": version,
                        "packages": packages,
                        **session.measure(number, python, packages),
                    }
                )
            )
            sys.stdout.flush()
    finally:
        shutil.rmtree(home, ignore_errors=True)


def _options() -> argparse.Namespace:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("address")
    parser.add_argument(
        "--ush", default=os.path.dirname(sys.executable), help="the folder of the Python with `ush` in it"
    )
    parser.add_argument("--pythons", nargs="*", default=[], help="folders with a python3.N in them")
    parser.add_argument("--only", nargs="*", type=int, default=[])
    return parser.parse_args()


def _pythons(folders: list[str]) -> dict[str, str]:
    found = [path for folder in folders for path in Path(folder).glob("python3.*") if path.name[8:].isdigit()]
    return {path.name.removeprefix("python"): str(path) for path in found}


class _Session:
    """A scratch home, and what each call in it came to."""

    def __init__(self, home: Path, ush: str) -> None:
        self.home, self.python = home, str(Path(ush) / "python3")
        self.counted = home / "counted.json"

    def run(self, *words: str) -> tuple[int, str, float, dict[str, int]]:
        """Run `ush`; returns its code, what it printed, seconds, and the requests and bytes."""
        self.counted.unlink(missing_ok=True)
        argv = [self.python, __file__, "--as-ush", str(self.counted), *words]
        variables = {**os.environ, "HOME": str(self.home), "PATH": "/usr/bin:/bin", "NO_COLOR": "1"}
        began = time.perf_counter()
        ran = subprocess.run(argv, env=variables, cwd=self.home, capture_output=True, text=True, check=False)
        seconds = time.perf_counter() - began
        counts = json.loads(self.counted.read_text()) if self.counted.exists() else {}
        return ran.returncode, ran.stdout + ran.stderr, seconds, counts

    def measure(self, number: int, python: str, packages: tuple[str, ...]) -> dict[str, object]:
        """Return what one set came to."""
        one, two = f"set-{number}", f"again-{number}"
        for name in (one, two):
            self.run("environment", "new", name, "--interpreter", python, "--yes")
        planned = self.run("package", "get", *packages, "-e", one, "--plan")
        got = self.run("package", "get", *packages, "-e", one, "--yes")
        warm = self.run("package", "get", *packages, "-e", two, "--yes")
        verified = self.run("verify", one)
        again = self.run("package", "get", *packages, "-e", one, "--yes")
        listed = self.run("package", "list", "-e", one, "--json")
        held = len(json.loads(listed[1])["items"]) if listed[0] == 0 else 0
        return {
            "distributions": held,
            "plan_seconds": round(planned[2], 1),
            "plan": planned[3],
            "get_code": got[0],
            "get_seconds": round(got[2], 1),
            "get": got[3],
            "warm_seconds": round(warm[2], 1),
            "verify_code": verified[0],
            "verify_said": verified[1].strip().splitlines()[-1:] if verified[0] == 0 else verified[1][-1500:],
            "nothing_again": "Nothing to change" in again[1],
            "trouble": got[1][-800:] if got[0] else "",
        }


def _as_ush(report: str, words: list[str]) -> None:
    """Be `ush`, and count what its HTTP client does."""
    import httpx

    counts = {"requests": 0, "bytes": 0, "repeats": 0}
    seen: set[tuple[str, str]] = set()
    send, close = httpx.Client.send, httpx.Response.close

    def counting_send(self: httpx.Client, request: httpx.Request, **more: object) -> httpx.Response:
        counts["requests"] += 1
        key = (str(request.url), request.headers.get("range", ""))
        counts["repeats"] += key in seen
        seen.add(key)
        return send(self, request, **more)  # type: ignore[arg-type]

    def counting_close(self: httpx.Response) -> None:
        if not self.is_closed:
            counts["bytes"] += self.num_bytes_downloaded
        close(self)

    httpx.Client.send, httpx.Response.close = counting_send, counting_close  # type: ignore[method-assign,assignment]
    from unified_shell.cli.main import main as ush_main

    sys.argv = ["ush", *words]
    try:
        ush_main()
    finally:
        Path(report).write_text(json.dumps(counts))


if __name__ == "__main__":
    if sys.argv[1:2] == ["--as-ush"]:
        _as_ush(sys.argv[2], sys.argv[3:])
    else:
        main()
