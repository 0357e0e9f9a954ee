"""Every starter of `ush outfit new`, equipped and verified on a real index, each in an empty home.

By hand only, with a network: python benchmarks/outfit_starters.py INDEX_ADDRESS [NAME ...]

Prints for each: distributions, bytes fetched and on disk, seconds from nothing (cold), of the same in a second home with the
same cache (warm), of finding that nothing is lacking, and whether all checks passed.
"""

import json
import shutil
import sys
import tempfile
from pathlib import Path

from scratch_homes import run_ush

from unified_shell.core.outfits.starters import starters


def main() -> int:
    """Equip each starter and print a row for it."""
    address, names = sys.argv[1], sys.argv[2:]
    failed = 0
    for one in starters():
        if names and one.name not in names:
            continue
        row = _tried(one.name, address)
        failed += row["result"] != "all passed"
        print(json.dumps({"name": one.name, **row}), flush=True)
    return failed


def _tried(name: str, address: str) -> dict[str, object]:
    home = Path(tempfile.mkdtemp(prefix="outfit-"))
    try:
        run_ush(home, "index", "add", "real", address, "--yes")
        run_ush(home, "outfit", "new", name, "--yes")
        plan, _ = run_ush(home, "outfit", "plan", "--json")
        facts = json.loads(plan.stdout)
        done, cold = run_ush(home, "outfit", "equip", "--yes")
        if done.returncode:
            return {"result": f"equip: exit {done.returncode}: {(done.stdout + done.stderr)[-600:]}"}
        _, again = run_ush(home, "outfit", "equip", "--yes")
        verified, _ = run_ush(home, "verify")
        count = sum(1 for _ in (home / "ush/data/environments").glob("*/lib/python*/site-packages/*.dist-info"))
        disk = _size(home / "ush/data/store") + _size(home / "ush/data/editions")
        warm = _warm(home)
        return {
            "distributions": count,
            "download_bytes": facts["download_bytes"],
            "disk_bytes": disk,
            "cold_seconds": round(cold, 1),
            "warm_seconds": round(warm, 1),
            "nothing_seconds": round(again, 2),
            "result": "all passed" if not verified.returncode else f"verify: {verified.stdout[-500:]}",
        }
    finally:
        shutil.rmtree(home, ignore_errors=True)


def _warm(home: Path) -> float:
    """Take the environments away and equip again: what was fetched and unpacked is here."""
    run_ush(home, "undo", "--yes")
    return run_ush(home, "outfit", "equip", "--yes")[1]


def _size(folder: Path) -> int:
    seen: dict[int, int] = {}
    for one in folder.rglob("*"):
        if one.is_file() and not one.is_symlink():
            facts = one.stat()
            seen[facts.st_ino] = facts.st_size
    return sum(seen.values())


if __name__ == "__main__":
    sys.exit(main())
