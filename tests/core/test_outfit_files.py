"""Outfits: every mistake of the file at once, and locks for several machines, derived a second time by brute force."""

import itertools
import json
import runpy
import tomllib
import zipfile
from collections.abc import Iterator
from pathlib import Path

import jsonschema  # type: ignore[import-untyped]
import pytest
import tomlkit
from hypothesis import given, settings
from hypothesis import strategies as st
from packaging.markers import Marker
from packaging.pylock import Pylock
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name
from packaging.version import Version

from support.wheels import wheel
from unified_shell.core.catalogs.address_book import NamedAddress
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.errors import DescriptionBroken, UsageError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.machine.host import read_host
from unified_shell.core.outfits import starters as starters_module
from unified_shell.core.outfits.locks.settling import LockedPackage, lock_packages
from unified_shell.core.outfits.locks.targets import LockTarget, parse_target
from unified_shell.core.outfits.locks.writing import lock_difference, lock_text, locked_versions
from unified_shell.core.outfits.outfit_reading import parse_outfit
from unified_shell.core.resolution.target import Rules
from unified_shell.core.transfers.fetching import Fetcher

MAKER = runpy.run_path(str(Path(__file__).parents[2] / "docs/make_outfit_schema.py"))
GOOD = """\
[outfit]
name = "hive-acoustics"

[index.apiary]
url = "https://index.apiary.example/simple/"

[interpreter]
version = ">=3.11"

[environment.hive]
packages = ["hivehum>=2", "swarmcast[plots]"]
as-of = 2026-05-01
notebook = true
search-path.PYTHONPATH = { front = ["{home}/modules"] }

[environment.combs]
language = "lua"
interpreter = ">=5"

[suite.humscan]
version = ">=1.4"
form = "source"
trial = true

[command.weigh]
package = "swarmcast>=1"

[search-path.PATH]
front = ["{suite.humscan}/bin"]

[variables]
HIVE_DATA = "{home}/hive-data"

[shells]
wire = ["bash", "zsh"]
completion = true

[[check]]
module = "swarmcast"
in = "hive"
"""
# What is written instead of what, and what is said of it, with its line.
MISTAKES = {
    "no head": (
        "[outfit]\nname",
        "[outfitt]\nname",
        ["[outfit] is missing", "unknown key 'outfitt'; did you mean outfit"],
    ),
    "no name": ('name = "hive-acoustics"', "", ["name is missing"]),
    "a bad requirement": (
        "hivehum>=2",
        "hivehum >>2",
        ["line 11: 'hivehum >>2' in packages; expected a requirement"],
    ),
    "a bad bound": (
        'version = ">=3.11"',
        'version = "new"',
        ["line 8: version = 'new'; expected bounds of a version"],
    ),
    "a bad date": ("2026-05-01", '"May"', ["line 12: as-of = 'May'; expected a date such as 2026-05-01"]),
    "no such language": ('"lua"', '"wax"', ["line 17: language = 'wax'; expected one of: python, r"]),
    "packages of another language": (
        'interpreter = ">=5"',
        'packages = ["x"]',
        ["line 18: packages: only for Python; an environment of lua is filled by its own means"],
    ),
    "a bad form": ('form = "source"', 'form = "wax"', ["line 22: form = 'wax'; expected one of: binary, source"]),
    "no such suite": ("{suite.humscan}/bin", "{suite.combscan}/bin", ["{suite.combscan}", "expected one of: {home}"]),
    "no such shell": ('"zsh"', '"hsh"', ["line 35: 'hsh' in wire; expected: bash"]),
    "no such environment": (
        'in = "hive"',
        'in = "hvie"',
        ["line 40: check 1 is in 'hvie'; the outfit's environments are: combs, hive"],
    ),
    "a bad marker": ("trial = true", 'when = "linux"', ["when = 'linux'; expected a marker such as sys_platform"]),
    "a bad variable": ("HIVE_DATA", '"HIVE DATA"', ["'HIVE DATA'; expected a variable's name"]),
    "an unknown key": ("trial = true", "trail = true", ["line 23: unknown key 'trail'; did you mean trial?"]),
    "a wrong type": ("notebook = true", 'notebook = "yes"', ["line 13: notebook = 'yes'; expected true or false"]),
}


@pytest.mark.parametrize("name", MISTAKES)
def test_each_mistake_of_an_outfit_has_its_line_and_what_was_expected(name: str) -> None:
    old, new, says = MISTAKES[name]
    assert old in GOOD
    with pytest.raises(DescriptionBroken) as caught:
        parse_outfit(GOOD.replace(old, new, 1).encode(), "outfit.toml")
    for text in says:
        assert text in str(caught.value)


def test_all_mistakes_are_told_at_once_and_a_good_outfit_is_read() -> None:
    worse = GOOD
    for name in ("a bad bound", "a bad date", "no such shell", "an unknown key"):
        worse = worse.replace(*MISTAKES[name][:2], 1)
    with pytest.raises(DescriptionBroken, match="4 mistakes"):
        parse_outfit(worse.encode(), "outfit.toml")
    found = parse_outfit(GOOD.encode(), "outfit.toml")
    assert found.environments[0].as_of == "2026-05-01"
    assert found.environments[0].paths[0].front == ("{home}/modules",)
    assert (found.suites[0].trial, found.commands[0].package, found.shells) == (True, "swarmcast>=1", ("bash", "zsh"))


TARGETS = ("linux-x86_64,python=3.11", "macos-aarch64,python=3.12", "windows-x86_64,python=3.11")


@pytest.fixture(scope="module")
def combs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An index in which what fits, and at which version, is another for each of three machines."""
    folder = tmp_path_factory.mktemp("combs")
    native = ("cp311-cp311-manylinux_2_17_x86_64", "cp312-cp312-macosx_11_0_arm64", "cp311-cp311-win_amd64")
    for tag in native:
        wheel(folder, "wax", "1.0", tag=tag)
    for tag in native[:2]:
        wheel(folder, "wax", "2.0", tag=tag)
    wheel(folder, "comb", "1.0", requires=["wax", 'sting>=1; sys_platform == "win32"'])
    wheel(folder, "comb", "2.0", requires=["wax>=2", 'sting>=1; sys_platform == "win32"'])
    wheel(folder, "sting", "1.0")
    wheel(folder, "drone", "3.0", requires_python=">=3.12")
    wheel(folder, "drone", "2.0")
    wheel(folder, "hive", "1.0", requires=["comb", "drone", "plots; extra == 'plots'"], extras=["plots"])
    wheel(folder, "plots", "0.9", requires=['wings; platform_machine == "arm64"'])
    wheel(folder, "wings", "0.1")
    return folder


def _client(folder: Path) -> IndexClient:
    return IndexClient([NamedAddress(name="combs", address=folder.as_uri())], Fetcher(read_host()))


def _locked(folder: Path, kept: dict[str, str] | None = None) -> tuple[list[LockTarget], tuple[LockedPackage, ...]]:
    targets = [parse_target(one, (3, 11), Rules()) for one in TARGETS]
    packages = lock_packages(
        [Requirement("hive[plots]")],
        targets,
        _client(folder),
        str(folder / "cache"),
        kept={canonicalize_name(name): one for name, one in (kept or {}).items()},
        progress=lambda _phase: None,
    )
    return targets, packages


def _brute(folder: Path, target: LockTarget) -> set[frozenset[tuple[str, str]]]:
    """Return every consistent set for a target, found by trying all: requirements, markers, tags and Python bounds alone."""
    offered: dict[str, dict[str, tuple[list[Requirement], str]]] = {}
    for path in folder.glob("*.whl"):
        parsed = parse_wheel_name(path.name)
        assert parsed is not None
        if not set(parsed.tags) & set(target.target.tags):
            continue
        with zipfile.ZipFile(path) as archive:
            (name,) = [one for one in archive.namelist() if one.endswith("METADATA")]
            lines = archive.read(name).decode().splitlines()
        needs = [Requirement(one.partition(": ")[2]) for one in lines if one.startswith("Requires-Dist: ")]
        bound = next((one.partition(": ")[2] for one in lines if one.startswith("Requires-Python: ")), "")
        if bound and not Requirement(f"x{bound}").specifier.contains(target.target.python):
            continue
        offered.setdefault(str(parsed.project), {})[str(parsed.version)] = (needs, bound)
    found = set()
    names = sorted(offered)
    for versions in itertools.product(*(["", *offered[name]] for name in names)):
        chosen = {name: version for name, version in zip(names, versions, strict=True) if version}
        wanted = {"hive"}
        extras = {"hive": ("", "plots")}
        consistent = True
        seen: set[str] = set()
        while wanted - seen and consistent:
            name = sorted(wanted - seen)[0]
            seen.add(name)
            if name not in chosen:
                consistent = False
                break
            for one in offered[name][chosen[name]][0]:
                holds = one.marker is None or any(
                    one.marker.evaluate({**target.target.markers, "extra": extra})
                    for extra in extras.get(name, ("",))
                )
                if holds:
                    wanted.add(one.name)
                    consistent &= one.name in chosen and one.specifier.contains(chosen[one.name])
        if consistent and seen == set(chosen):
            found.add(frozenset(chosen.items()))
    return found


def test_each_targets_set_is_one_that_brute_force_finds_and_none_is_newer(combs: Path, tmp_path: Path) -> None:
    targets, packages = _locked(combs)
    text = lock_text(packages, targets, folder=str(tmp_path), indexes={}, as_of="")
    lock = Pylock.from_dict(tomllib.loads(text))
    for target in targets:
        mine = [one for one in targets if Marker(one.marker).evaluate(dict(target.target.markers))]
        assert mine == [target], "the markers of the targets exclude each other"
        selected = lock.select(environment=target.target.markers, tags=target.target.tags)  # type: ignore[arg-type]
        chosen = frozenset((str(package.name), str(package.version)) for package, _ in selected)
        possible = _brute(combs, target)
        assert chosen in possible, target.name
        newest = max(possible, key=lambda one: sorted((name, Version(version)) for name, version in one))
        assert dict(chosen)["hive"] == dict(newest)["hive"]
    by_target = {one: {str(p.name): p.version for p in packages if one in p.targets} for one in TARGETS}
    assert by_target[TARGETS[0]]["wax"] == "2.0"
    assert by_target[TARGETS[2]]["wax"] == "1.0", "Windows has no wheel of the newer one"
    assert "sting" not in by_target[TARGETS[0]]
    assert "sting" in by_target[TARGETS[2]]
    assert set(by_target[TARGETS[1]]) >= {"wings"}
    assert by_target[TARGETS[1]]["drone"] == by_target[TARGETS[0]]["drone"] == "2.0", (
        "the version chosen before is preferred"
    )


def test_a_lock_stays_until_something_may_move_and_tells_what_moved(combs: Path, tmp_path: Path) -> None:
    targets, packages = _locked(combs, {"wax": "1.0", "comb": "1.0"})
    assert {p.version for p in packages if p.name == "wax"} == {"1.0"}
    text = lock_text(packages, targets, folder=str(tmp_path), indexes={}, as_of="")
    assert text == lock_text(
        _locked(combs, {"wax": "1.0", "comb": "1.0"})[1], targets, folder=str(tmp_path), indexes={}, as_of=""
    )
    (tmp_path / "pylock.toml").write_text(text)
    before = locked_versions(str(tmp_path / "pylock.toml"))
    moved = lock_difference(before, _locked(combs)[1])
    assert any(line.startswith("~ wax 1.0 → ") for line in moved)
    assert not any("sting" in line for line in moved)
    (tmp_path / "pylock.toml").write_text("packages = 3")
    with pytest.raises(UsageError, match="is not a lock file"):
        locked_versions(str(tmp_path / "pylock.toml"))


@pytest.mark.parametrize(
    "text", ["beos-x86_64", "linux-vax", "linux-x86_64,python=three", "linux-x86_64,wax=1.0", "linux"]
)
def test_a_target_that_is_none_says_what_was_expected(text: str) -> None:
    with pytest.raises(UsageError):
        parse_target(text, (3, 11), Rules())


SCHEMA = json.loads((Path(__file__).parents[2] / "src/unified_shell/schemas/outfit.json").read_text())
# What a text says is the reader's to judge; what kind of value stands where, and under which key, is the schema's too.
STRUCTURAL = ("no head", "no name", "a bad form", "no such shell", "a bad variable", "an unknown key", "a wrong type")


def test_the_published_schema_is_what_is_made_now_and_takes_what_is_shipped() -> None:
    assert MAKER["schema"]() == SCHEMA
    for path in (Path(starters_module.__file__).parent / "starter_files").glob("*.toml"):
        parse_outfit(path.read_bytes(), path.name)
        jsonschema.validate(tomllib.loads(path.read_text()), SCHEMA)
    document = tomllib.loads(GOOD.replace("as-of = 2026-05-01", 'as-of = "2026-05-01"'))
    jsonschema.validate(document, SCHEMA)
    for name in STRUCTURAL:
        worse = GOOD.replace("as-of = 2026-05-01", 'as-of = "2026-05-01"').replace(*MISTAKES[name][:2], 1)
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(tomllib.loads(worse), SCHEMA)


def _places(value: object, above: tuple[str | int, ...] = ()) -> Iterator[tuple[str | int, ...]]:
    """Return the way to every value in a document."""
    pairs = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, below in pairs:
        yield (*above, key)
        yield from _places(below, (*above, key))


@settings(max_examples=300, deadline=None)
@given(st.data())
def test_reader_and_schema_take_and_refuse_the_same_structures(data: st.DataObject) -> None:
    document = tomllib.loads(GOOD.replace("as-of = 2026-05-01", 'as-of = "2026-05-01"'))
    for _ in range(data.draw(st.integers(1, 2))):
        place = data.draw(st.sampled_from(list(_places(document))))
        holder = document
        for key in place[:-1]:
            holder = holder[key]  # type: ignore[index]
        last = place[-1]
        how = data.draw(st.sampled_from(["drop", "number", "truth", "list", "table", "more"]))
        if how == "drop":
            del holder[last]  # type: ignore[arg-type]
        elif how == "more" and isinstance(holder, dict):
            holder[data.draw(st.sampled_from(["wax", "x-y", "name"]))] = "wax"
        else:
            holder[last] = {"number": 3, "truth": True, "list": [1], "table": {"wax": 1}, "more": [[]]}[how]  # type: ignore[index]
    try:
        parse_outfit(tomlkit.dumps(document).encode(), "outfit.toml")
        refused = ""
    except DescriptionBroken as error:
        refused = str(error)
    # What a text means, and what names another table, only the reader knows.
    if "is in 'hive'" in refused or "{suite.humscan}" in refused:
        return
    by_schema = [one.message for one in jsonschema.Draft202012Validator(SCHEMA).iter_errors(document)]
    assert bool(refused) == bool(by_schema), (document, refused, by_schema)
