"""Every program of the starter catalog: built from its archive, wired, verified, tried, moved, and tried again.

By hand only, with the archives in a folder, under whatever names: python benchmarks/starter_catalog.py FOLDER [NAME ...]

Each gets an empty home of its own. After the trial its tree is copied to a place with a blank in its name and made to stand
there, the old one is renamed, and the trial is run again. Prints a row each: seconds of getting it (build, checks, wiring
and new sessions), of its trial, of one process and several, and whether all passed before and after the move.
"""

import argparse
import hashlib
import json
import shutil
import sys
import tempfile
from pathlib import Path

from msgspec.structs import replace
from scratch_homes import run_ush

from unified_shell.core.catalogs.description import Description, Subject
from unified_shell.core.catalogs.reading import read_catalog
from unified_shell.core.catalogs.registered import STARTER
from unified_shell.core.installation.relocation import check_libraries, relocate_tree
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.places import Place
from unified_shell.core.suites.managed_suites import ManagedSuite
from unified_shell.core.suites.suite_checks import check_suite
from unified_shell.core.suites.trials.trial_runs import run_trial
from unified_shell.core.transfers.fetching import Fetcher


def main() -> int:
    """Get each that is named, or all, and print a row for each."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("archives", type=Path)
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    read = read_catalog(STARTER, Fetcher(read_host()))
    assert not read.faults, read.faults
    by_hash = {
        hashlib.sha256(one.read_bytes()).hexdigest(): one for one in options.archives.iterdir() if one.is_file()
    }
    failed = 0
    for listed in read.listed:
        described = listed.description
        named = f"{described.name}-{described.version}"
        if options.names and not {described.name, named} & set(options.names):
            continue
        archive = by_hash.get(described.forms[0].archive.sha256)
        if archive is None:
            print(json.dumps({"name": named, "result": "its archive is not in the folder"}), flush=True)
            continue
        row = _suite(described, archive) if described.subject is Subject.SUITE else _interpreter(described, archive)
        failed += row["result"] != "all passed"
        print(json.dumps({"name": named, **row}), flush=True)
    return failed


def _suite(described: Description, archive: Path) -> dict[str, object]:
    home = Path(tempfile.mkdtemp(prefix="starter-"))
    try:
        got, seconds = run_ush(home, "suite", "get", described.name, "--archive", str(archive), "--yes")
        if got.returncode:
            return {"result": f"get: exit {got.returncode}: {(got.stderr or got.stdout).strip()[-400:]}"}
        verified, _ = run_ush(home, "verify", f"suite:{described.name}")
        if verified.returncode:
            return {"result": f"verify: {verified.stdout[-400:]}"}
        tried, _ = run_ush(home, "suite", "try", described.name, "--json", "--into", str(home / "results"))
        if tried.returncode:
            return {"result": f"try: {tried.stdout[-600:]}{tried.stderr[-300:]}"}
        runs = json.loads(tried.stdout)["runs"]
        return {
            "get_seconds": round(seconds, 1),
            "trial": {one["processes"]: round(one["elapsed_seconds"], 2) for one in runs},
            "installed_mb": round(_size(home / "ush/data/suites") / 1e6, 1),
            "result": _moved(home) or "all passed",
        }
    finally:
        shutil.rmtree(home, ignore_errors=True)


def _moved(home: Path) -> str:
    """Let the suite stand in another place, with the first one gone, and return what is wrong there."""
    (tree,) = (one for one in (home / "ush/data/suites").iterdir() if one.is_dir())
    bears = not json.loads((tree / "unified-shell-suite.json").read_text())["description"]["needs"][
        "place_without_spaces"
    ]
    new = home / ("moved here" if bears else "moved-here") / tree.name
    shutil.copytree(tree, new, symlinks=True)
    moved = relocate_tree(str(new), str(tree), str(new), finds_itself=False)
    if moved.stuck or check_libraries(str(new), str(tree)):
        return f"moved: {moved.stuck or check_libraries(str(new), str(tree))}"
    fields = json.loads((new / "unified-shell-suite.json").read_text())
    tree.rename(tree.with_name("gone"))
    suite = replace(_suite_of(fields, new), prefix=Place(str(new)))
    host = read_host()
    findings = [*check_suite(suite, host), *run_trial(suite, Place(str(home / "again")), host).findings]
    return "; ".join(f"moved: {one.question}: {one.answer}" for one in findings if one.is_fault)


def _suite_of(fields: dict[str, object], place: Path) -> ManagedSuite:
    import msgspec

    return msgspec.convert({**fields, "name": place.name, "prefix": str(place)}, ManagedSuite)


def _interpreter(described: Description, archive: Path) -> dict[str, object]:
    home = Path(tempfile.mkdtemp(prefix="starter-"))
    try:
        words = ("interpreter", "get", described.language, described.version, "--archive", str(archive), "--yes")
        got, seconds = run_ush(home, *words, "--even-if-ready")
        result = "all passed" if not got.returncode else f"get: {(got.stderr or got.stdout).strip()[-600:]}"
        size = round(_size(home / "ush/data/interpreters") / 1e6, 1)
        return {"get_seconds": round(seconds, 1), "installed_mb": size, "result": result}
    finally:
        shutil.rmtree(home, ignore_errors=True)


def _size(folder: Path) -> int:
    return sum(one.lstat().st_size for one in folder.rglob("*") if not one.is_dir())


if __name__ == "__main__":
    sys.exit(main())
