"""Outfits: compared, carried out in one change, undone, repeated elsewhere, captured, locked; and what goes wrong."""

import hashlib
import os
import re
import shutil
import sys
import tarfile
import tomllib
from pathlib import Path

import pytest

from support.account import Account, visible_state
from support.interpreters import archive_of, catalog_of
from support.suites import suite
from support.wheels import wheel
from unified_shell.demo.sample_suite import make_humscan_catalog

PYTHONS = f"{Path(sys.executable).parent}:/usr/bin:/bin"
OUTFIT = """\
[outfit]
name = "hive-acoustics"

[index.apiary]
url = "{index}"

[catalog.apiary]
url = "{catalog}"

[environment.hive]
packages = ["hivehum>=1", "swarmcast"]
variables = { HIVE_MODE = "day" }
search-path.PYTHONPATH = { front = ["modules"] }

[environment.field]
packages = ["combgraph"]
search-path.PATH = { front = ["{suite.humscan}/bin"] }

[environment.moon]
packages = ["no-such-package"]
when = "sys_platform == 'win32'"

[suite.humscan]
version = ">=1.4"
trial = true

[command.swarmcast]

[search-path.PATH]
front = ["tools", "{suite.humscan}/bin"]

[variables]
HIVE_DATA = "{home}/hive-data"

[shells]
wire = ["bash", "zsh"]

[[check]]
command = ["humscan", "--version"]
version = ">=1.4"

[[check]]
module = "swarmcast"
in = "hive"
"""


@pytest.fixture
def outfit(account: Account, study: Path) -> Account:
    """An account with an outfit, an index and a catalog that it names, and nothing else."""
    make_humscan_catalog(str(account.home / "catalog"))
    account.write(".zshrc", "# mine\n")
    account.tool("weigh")
    account.write("outfit.toml", OUTFIT.replace("{index}", str(study)).replace("{catalog}", "catalog"))
    return account


def _answers(account: Account) -> list[str]:
    names = ("humscan --version", "weigh", "swarmcast --help | head -1", "echo $HIVE_DATA")
    return [account.session(name, shell=shell).out for name in names for shell in ("bash", "zsh")]


def test_an_outfit_is_equipped_in_one_change_and_undone_byte_for_byte(outfit: Account) -> None:
    account, before = outfit, visible_state(outfit.home)
    told = account.ush("outfit", "plan", code=1).out
    for part in ("index apiary", "environment hive", "swarmcast 1.2.0", "suite humscan-1.4.0", "command swarmcast"):
        assert part in told, part
    assert "moon" not in told
    assert visible_state(account.home) == before
    done = account.ush("outfit", "equip", "--yes", "--json").json()
    assert done["words"] == "outfit equip"
    questions = [one["question"] for one in done["findings"]]
    assert "humscan --version >=1.4" in questions
    assert "spectrum.csv is the same of 1 process and of 2" in questions
    assert _answers(account)[0] == "humscan 1.4.0\n"
    assert _answers(account)[6:] == [f"{account.home}/hive-data\n"] * 2
    assert account.ush("environment", "run", "hive", "--", "sh", "-c", "echo $HIVE_MODE").out == "day\n"
    assert "this machine has all of it" in account.ush("outfit", "equip", "--yes").out
    assert "this machine has all of it" in account.ush("outfit", "plan").out
    account.ush("verify")
    assert len(account.ush("journal", "--json").json()["items"]) == 1
    told = account.ush("undo", "--yes").out
    assert "remove  ~/.local/share/unified-shell/suites/humscan-1.4.0\n" in told, "a tree that no link leads to"
    assert visible_state(account.home) == before


def test_only_the_difference_is_done_and_what_somebody_changed_is_told(outfit: Account) -> None:
    outfit.ush("outfit", "equip", "--yes")
    path = outfit.home / "outfit.toml"
    path.write_text(path.read_text().replace('["combgraph"]', '["combgraph", "waggle-io"]'))
    told = outfit.ush("outfit", "plan", code=1).out
    assert "waggle-io" in told
    assert "humscan" not in told
    assert "HIVE_MODE" not in told
    path.write_text(path.read_text().replace('HIVE_MODE = "day"', 'HIVE_MODE = "night"'))
    assert "HIVE_MODE = night" in outfit.ush("outfit", "plan", code=1).out
    outfit.ush("outfit", "equip", "--yes")
    assert outfit.ush("environment", "run", "hive", "--", "sh", "-c", "echo $HIVE_MODE").out == "night\n"
    (module,) = outfit.environment("hive").glob("lib/python*/site-packages/swarmcast/__init__.py")
    module.chmod(0o644)
    module.write_text("# mine\n")
    told = outfit.ush("outfit", "equip", "--yes").out
    assert "has all of it" in told
    assert "swarmcast/__init__.py of swarmcast was edited" in told
    session = outfit.data / "wiring/session.bash"
    session.write_text("# gone\n")
    outfit.ush("package", "drop", "combgraph", "-e", "field", "--yes", code=None)
    compared = outfit.ush("outfit", "plan", "--json", code=1).json()
    differences = " ".join(one["difference"] for one in compared["drift"])
    assert "swarmcast/__init__.py of swarmcast was edited" in differences
    assert "session.bash was changed" in differences
    assert any(line["fields"].get("name") == "combgraph" for line in compared["lines"])
    altered = [line["fields"]["file"] for line in compared["lines"] if line["about"] == "session file altered"]
    assert altered == [str(session)]


def test_what_is_no_longer_named_is_told_and_taken_away_only_when_asked(outfit: Account) -> None:
    outfit.ush("environment", "new", "own", "--yes")
    outfit.ush("path", "add", "tools", "--yes")
    before = visible_state(outfit.home)
    outfit.ush("outfit", "equip", "--yes")
    equipped, wired = _without_wiring(outfit), _wired(outfit)
    path = outfit.home / "outfit.toml"
    whole = path.read_text()
    # The environment leads into the suite: they go together.
    hive = "[environment.hive]" + whole.split("[environment.hive]")[1].split("[environment.field]")[0]
    less = whole.split("[index.apiary]")[0] + hive + '[shells]\nwire = ["bash"]\n'
    path.write_text(less)
    told = outfit.ush("outfit", "plan", code=1).out
    parts = ("environment field", "suite humscan-1.4.0", "variable HIVE_DATA", "index apiary", "catalog apiary")
    for gone in (*parts, "no longer names it"):
        assert gone in told, gone
    assert "tools on PATH" not in told, "what was here before is not the outfit's"
    assert "has all of it" in outfit.ush("outfit", "equip", "--yes").out
    dropped = outfit.ush("outfit", "equip", "--drop-unnamed", "--yes").out
    assert "--drop-unnamed" in told
    assert "remove" in dropped
    assert outfit.session("humscan; echo $HIVE_DATA; weigh").out == "\nhere\n"
    assert outfit.ush("index", "list", "--json").json()["items"] == []
    assert outfit.ush("environment", "list", "--json").json()["items"] != []
    assert "has all of it" in outfit.ush("outfit", "plan").out
    outfit.ush("undo", "--yes")
    path.write_text(whole)
    # The order of what does not depend on another is not kept: the records are compared, and what a session answers.
    assert (_without_wiring(outfit), _wired(outfit)) == (equipped, wired)
    outfit.ush("undo", "--yes", code=None)
    assert before.keys() <= visible_state(outfit.home).keys()


def _without_wiring(account: Account) -> dict[str, str]:
    return {path: one for path, one in visible_state(account.home).items() if "/wiring/" not in path}


def _wired(account: Account) -> tuple[object, list[str]]:
    record = tomllib.loads((account.home / ".local/share/unified-shell/wiring/me.toml").read_text())
    return record, sorted(account.session("env; type humscan weigh swarmcast").out.splitlines())


def test_a_lock_gives_the_same_elsewhere_whatever_is_newest(outfit: Account, study: Path, tmp_path: Path) -> None:
    index = outfit.home / "wheels"
    shutil.copytree(study, index)
    path = outfit.home / "outfit.toml"
    path.write_text(path.read_text().replace(str(study), "wheels"))
    told = outfit.ush("outfit", "lock", "--target", "linux-x86_64", "--target", "macos-aarch64", "--yes", code=None)
    assert "+ swarmcast 1.2.0" in told.out, told.err
    outfit.ush("outfit", "lock", "--yes")
    locked = tomllib.loads((outfit.home / "pylock.hive.toml").read_text())
    assert {one["name"] for one in locked["packages"]} == {"hivehum", "swarmcast", "combgraph", "waggle-io"}
    assert all(one["wheels"][0]["hashes"]["sha256"] for one in locked["packages"])
    wheel(index, "swarmcast", "9.0", commands=["swarmcast"])
    assert "nothing moved" in outfit.ush("outfit", "lock", "--yes").out
    # Another account, with the folder carried to another place.
    other = Account(tmp_path / "elsewhere")
    shutil.copytree(outfit.home, other.home, symlinks=True)
    other.ush("outfit", "equip", "--yes")
    assert "swarmcast 1.2.0" in other.ush("package", "list", "-e", "hive").out.replace("  ", " ").replace("  ", " ")
    # The command is held to the file of its lock, not to its version alone.
    other.ush("undo", "--yes")
    lock = other.home / "pylock.command-swarmcast.toml"
    whole = lock.read_text()
    digest = re.search(r'sha256 = "(\w{64})"', whole)
    assert digest is not None
    lock.write_text(whole.replace(digest[1], "0" * 64))
    assert "SHA-256" in other.ush("outfit", "equip", "--yes", code=4).err
    lock.write_text(whole)
    other.ush("outfit", "equip", "--yes")
    moved = outfit.ush("outfit", "lock", "--refresh", "swarmcast", "--yes").out
    assert "~ swarmcast 1.2.0 → 9.0" in moved
    archive = next((other.home / "catalog").glob("*.tar.gz"))
    text = (other.home / "outfit.lock.toml").read_text()
    (other.home / "outfit.lock.toml").write_text(text.replace(text.split('sha256 = "')[1][:8], "00000000"))
    assert archive.exists()
    other.ush("suite", "drop", "humscan", "--even-if-needed", "--yes")
    assert "another archive than the one that is locked" in other.ush("outfit", "equip", "--yes", code=None).err


def test_what_is_here_but_not_as_named_is_not_all_of_it(outfit: Account, study: Path) -> None:
    shutil.copytree(study, outfit.home / "wheels")
    path = outfit.home / "outfit.toml"
    whole = path.read_text().replace(str(study), "wheels")
    path.write_text(whole)
    outfit.ush("outfit", "lock", "--yes")
    outfit.ush("outfit", "equip", "--yes")
    # A package, and a greater version, that the lock does not hold.
    for more, why in (
        ('"hivehum>=1", "waggle-io>=7"', "waggle-io 0.9.1"),
        ('"combgraph", "gone"', "gone is not in it"),
    ):
        path.write_text(whole.replace('"hivehum>=1"', more))
        assert why in outfit.ush("outfit", "equip", "--yes", code=3).err
    path.write_text(whole.replace('"hivehum>=1"', '"hivehum[loud]>=1"'))
    assert "it holds hivehum without loud" in outfit.ush("outfit", "equip", "--yes", code=3).err
    path.write_text(whole)
    # What somebody took away comes back in the locked version.
    wheel(outfit.home / "wheels", "combgraph", "3.0")
    outfit.ush("package", "drop", "combgraph", "-e", "field", "--yes")
    outfit.ush("package", "get", "combgraph", "-e", "field", "--yes")
    assert "combgraph 3.0 → 1.0.2" in outfit.ush("outfit", "equip", "--yes").out
    # A command in another version than the one that is here.
    made = {"swarmcast.py": b"def main(): print('nine')\n"}
    wheel(outfit.home / "wheels", "swarmcast", "9.0", commands=["swarmcast = swarmcast:main"], files=made)
    path.write_text(whole.replace("[command.swarmcast]", '[command.swarmcast]\npackage = "swarmcast>=9"'))
    assert "it holds swarmcast 1.2.0, wanted is swarmcast>=9" in outfit.ush("outfit", "plan", code=3).err
    outfit.ush("outfit", "lock", "--yes")
    assert "swarmcast 1.2.0 → 9.0" in outfit.ush("outfit", "equip", "--yes").out
    assert outfit.session("swarmcast").out == "nine\n"
    assert "has all of it" in outfit.ush("outfit", "equip", "--yes").out
    # An index of this machine is not asked in the place of the outfit's.
    path.write_text(path.read_text().replace('url = "wheels"', 'url = "tools"'))
    assert "'apiary' is there with another address" in outfit.ush("outfit", "equip", "--yes", code=3).err


def test_environments_alone_leave_startup_files_as_they_are(account: Account, study: Path) -> None:
    account.ush("index", "add", "apiary", study, "--yes")
    account.new_environment("hive")
    account.ush("outfit", "capture", "--yes")
    assert "has all of it" in account.ush("outfit", "plan").out
    path = account.home / "outfit.toml"
    path.write_text(path.read_text() + "[environment.field]\n")
    startup = {one.name: one.read_bytes() for one in account.home.glob(".*rc")}
    account.ush("outfit", "equip", "--yes")
    assert {one.name: one.read_bytes() for one in account.home.glob(".*rc")} == startup
    assert not (account.home / ".profile").exists()


def test_a_locked_suite_stays_until_it_may_move(account: Account, tmp_path: Path) -> None:
    suite(account, "wax", "1.0")
    account.write("outfit.toml", '[outfit]\nname = "wax"\n[suite.wax]\nversion = ">=1"\n')
    account.ush("outfit", "lock", "--yes")
    suite(account, "wax", "2.0")
    assert "nothing moved" in account.ush("outfit", "lock", "--yes").out
    account.ush("outfit", "equip", "--yes")
    assert account.session("wax").out == "wax 1.0\n"
    # A pack holds what is locked.
    packed = tmp_path / "wax.tar.gz"
    account.ush("outfit", "pack", "-o", packed, "--without-interpreter")
    with tarfile.open(packed) as archive:
        held = [name for name in archive.getnames() if "/catalog/wax" in name and name.endswith(".toml")]
    assert held == ["wax-pack/catalog/wax-1.0.toml"]
    path = account.home / "outfit.toml"
    path.write_text(path.read_text().replace(">=1", ">=2"))
    refused = account.ush("outfit", "plan", code=3).err
    assert "wax is locked as 1.0, binary; the outfit asks for wax>=2" in refused
    account.ush("outfit", "lock", "--yes")
    account.ush("outfit", "equip", "--yes")
    assert account.session("wax").out == "wax 2.0\n"
    assert "has all of it" in account.ush("outfit", "equip", "--yes").out
    suite(account, "wax", "3.0")
    assert "3.0" in account.ush("outfit", "lock", "--refresh", "wax", "--yes").out
    # What is here is not what is locked any more.
    assert "wax-3.0" in account.ush("outfit", "plan", code=1).out
    (account.home / "outfit.lock.toml").write_text("[suite]\nwax = 1\n")
    assert "is not a lock of suites" in account.ush("outfit", "equip", "--yes", code=2).err


def test_a_pack_may_be_a_zip_and_is_the_same_each_time(account: Account, tmp_path: Path) -> None:
    suite(account, "wax", "1.0")
    account.write("outfit.toml", '[outfit]\nname = "wax"\n[suite.wax]\nversion = ">=1"\n')
    first, second = tmp_path / "first.zip", tmp_path / "second.zip"
    for one in (first, second):
        account.ush("outfit", "pack", "-o", one, "--without-interpreter")
    assert first.read_bytes() == second.read_bytes()
    other = Account(tmp_path / "other")
    other.home.mkdir()
    other.ush("outfit", "equip", "--from", first, "--yes")
    assert other.session("wax").out == "wax 1.0\n"


def test_a_captured_account_gives_the_same_answers_elsewhere(outfit: Account, study: Path, tmp_path: Path) -> None:
    account = outfit
    account.ush("outfit", "equip", "--yes")
    account.tool("old-hum", folder="old")
    account.write(
        ".bashrc", f'{(account.home / ".bashrc").read_text()}\nexport HIVE_NIGHT=long\nPATH="$HOME/old:$PATH"\n'
    )
    account.write("lists/none.txt", "")
    told = account.ush("outfit", "capture", "made/outfit.toml", "--name", "apiary", "--yes").out
    text = (account.home / "made/outfit.toml").read_text()
    captured = tomllib.loads(text)
    assert captured["environment"]["hive"]["packages"] == ["hivehum>=1", "swarmcast"], "not what came as dependency"
    assert captured["variables"] == {"HIVE_DATA": "{home}/hive-data", "HIVE_NIGHT": "long"}
    assert "{home}/old" in captured["search-path"]["PATH"]["front"]
    assert captured["suite"]["humscan"]["version"] == "==1.4.0"
    assert captured["command"] == {"swarmcast": {"package": "swarmcast"}}
    assert "+ swarmcast 1.2.0" in told
    other = Account(tmp_path / "other")
    other.home.mkdir()
    for folder in ("made", "catalog", "tools", "old"):
        shutil.copytree(account.home / folder, other.home / folder)
    other.write(".zshrc", "# theirs\n")
    (other.home / "made/outfit.toml").write_text(
        text.replace(str(account.home / "catalog"), str(other.home / "catalog"))
    )
    other.ush("outfit", "equip", "made", "--yes", code=None)
    for line in ("weigh", "old-hum", "humscan --version", "echo $HIVE_NIGHT", "swarmcast --help | head -1"):
        assert other.session(line).out == account.session(line).out != "", line
    ours, theirs = (
        {one["name"]: one["version"] for one in each.ush("package", "list", "-e", "hive", "--json").json()["items"]}
        for each in (account, other)
    )
    assert ours == theirs
    assert (
        "says this already"
        in account.ush("outfit", "capture", "made/outfit.toml", "--name", "apiary", "--no-lock", "--yes").out
    )
    assert study.exists()


def test_a_pack_equips_another_account_without_a_network(outfit: Account, tmp_path: Path) -> None:
    for name in ("one", "two"):
        told = outfit.ush("outfit", "pack", "--without-interpreter", "-o", f"{name}.tar.gz").out
        assert "4 wheels, 1 suite" in told
        assert "Not packed: the folder tools beside the outfit" in told
    assert (outfit.home / "one.tar.gz").read_bytes() == (outfit.home / "two.tar.gz").read_bytes()
    other = Account(tmp_path / "other home", more=dict(outfit.more))
    other.home.mkdir()
    other.write(".zshrc", "")
    shutil.copy(outfit.home / "one.tar.gz", other.home)
    # Neither the index nor the catalog that it was packed from is there any more.
    (outfit.home / "catalog").rename(outfit.home / "gone")
    other.ush("outfit", "equip", "--from", "one.tar.gz", "--yes")
    assert other.session("humscan --version; echo $HIVE_DATA").out == f"humscan 1.4.0\n{other.home}/hive-data\n"
    assert other.ush("index", "list", "--json").json()["items"] == [], "a pack is not named for later"
    other.ush("verify")
    assert "this machine has all of it" in other.ush("outfit", "equip", "--from", "one.tar.gz", "--yes").out
    # From its folder, with its own ush.
    other.run(["tar", "-xf", "one.tar.gz"])
    assert "has all of it" in other.run(["sh", "hive-acoustics-pack/equip.sh", "--yes"], more={"PATH": PYTHONS}).out
    _spoiled_packs(other)


def test_a_pack_for_a_machine_leaves_out_what_that_has_and_is_enough_there(outfit: Account, tmp_path: Path) -> None:
    outfit.ush("outfit", "pack", "--without-interpreter", "-o", "all.tar.gz")
    other, third = (Account(tmp_path / name, more={"PATH": PYTHONS}) for name in ("other", "third"))
    for account in (other, third):
        account.home.mkdir()
        account.write(".zshrc", "")
    report = outfit.write("fresh.json", other.ush("look", "--json").out)
    fresh = outfit.ush("outfit", "pack", "-o", "fresh.tar.gz", "--for-machine", report)
    assert "4 wheels, 1 suite" in fresh.out
    other.ush("outfit", "equip", "--from", outfit.home / "all.tar.gz", "--yes")
    report = outfit.write("other.json", other.ush("look", "--json").out)
    told = outfit.ush("outfit", "pack", "--without-interpreter", "-o", "less.tar.gz", "--for-machine", report).out
    assert "that machine has it: environment hive, environment field, suite humscan-1.4.0." in told
    # The command has an environment of its own, which no report tells of.
    assert "4 wheels, 0 suites" in told
    assert "has all of it" in other.ush("outfit", "equip", "--from", outfit.home / "less.tar.gz", "--yes").out
    (other.environment() / "bin/swarmcast").unlink()
    assert "is gone" in other.ush("outfit", "equip", "--from", outfit.home / "less.tar.gz", "--yes").out
    before = visible_state(third.home)
    failed = third.ush("outfit", "equip", "--from", outfit.home / "less.tar.gz", "--yes", code=4)
    assert "humscan" in failed.err, "it was packed for a machine that has it"
    assert visible_state(third.home) == before
    text = (outfit.home / "other.json").read_text()
    for content, code, says in (
        ("nonsense", 4, "cannot be read"),
        ('{"kind": "journal"}', 2, "is not what ush look --json prints"),
        (text.replace('"architecture": "x86_64"', '"architecture": "vax"'), 3, "is of a machine with vax"),
    ):
        report = outfit.write("bad.json", content)
        assert says in outfit.ush("outfit", "pack", "-o", "x.tar.gz", "--for-machine", report, code=code).err
    assert "no report" in outfit.ush("outfit", "pack", "--for-machine", "none.json", code=2).err
    assert not (outfit.home / "x.tar.gz").exists()


def _spoiled_packs(account: Account) -> None:
    pack = account.home / "hive-acoustics-pack"
    script = pack / "catalog/catalog.toml"
    script.write_text(script.read_text() + "# more\n")
    assert (
        "catalog.toml is not as it was packed"
        in account.ush("outfit", "equip", "--from", pack, "--yes", code=None).err
    )
    script.unlink()
    assert "is not whole: catalog/catalog.toml" in account.ush("outfit", "equip", "--from", pack, "--yes", code=4).err
    manifest = pack / "pack.json"
    text = manifest.read_text()
    manifest.write_text(text.replace('"platform":"linux-', '"platform":"beos-'))
    assert "this pack is for beos-" in account.ush("outfit", "equip", "--from", pack, "--yes", code=4).err
    manifest.write_text(text.replace("catalog/catalog.toml", "../catalog.toml"))
    assert "names files outside" in account.ush("outfit", "equip", "--from", pack, "--yes", code=4).err
    content = (account.home / "one.tar.gz").read_bytes()
    (account.home / "short.tar.gz").write_bytes(content[: len(content) // 2])
    account.ush("outfit", "equip", "--from", "short.tar.gz", "--yes", code=4)
    account.write("empty/none", "")
    assert "is not a pack" in account.ush("outfit", "equip", "--from", "empty", "--yes", code=2).err


BAD = {
    "no file": ("elsewhere.toml", "", 4, "there is no outfit"),
    "a mistake": ("outfit.toml", 'trial = true|trail = "x"', 4, "unknown key 'trail'; did you mean trial?"),
    "no such package": ("outfit.toml", '"combgraph"|"no-such-thing"', 4, "no-such-thing"),
    "versions that exclude each other": ("outfit.toml", '"combgraph"|"combgraph>=9"', 4, "combgraph"),
    "no such suite": ("outfit.toml", '">=1.4"\ntrial|">=9"\ntrial', 4, "no catalog describes humscan>=9"),
    "no such interpreter": (
        "outfit.toml",
        "[environment.hive]|[interpreter]\nversion = '>=9'\n[environment.hive]",
        4,
        "python",
    ),
    "no such list": ("outfit.toml", '["combgraph"]|["combgraph"]\nfrom = "gone.txt"', 4, "gone.txt"),
}


@pytest.mark.parametrize("name", BAD)
def test_what_cannot_be_equipped_says_why_and_changes_nothing(outfit: Account, name: str) -> None:
    file, change, code, says = BAD[name]
    path = outfit.home / "outfit.toml"
    if change:
        old, new = change.split("|")
        assert old in path.read_text()
        path.write_text(path.read_text().replace(old, new))
    before = visible_state(outfit.home)
    failed = outfit.ush("outfit", "equip", file, "--yes", code=code)
    assert says in failed.err
    assert visible_state(outfit.home) == before


def test_a_project_and_a_list_are_taken_and_an_environment_of_another_python_is_refused(outfit: Account) -> None:
    outfit.write(
        "pyproject.toml",
        '[project]\nname = "x"\nversion = "1"\ndependencies = ["combgraph"]\n[project.optional-dependencies]\nloud = ["hivehum"]\n',
    )
    outfit.write("more.txt", "waggle-io>=0.9  # read\n")
    path = outfit.home / "outfit.toml"
    text = path.read_text().replace('["combgraph"]', '[]\nfrom = ["pyproject.toml", "more.txt"]\nextras = ["loud"]')
    path.write_text(text)
    outfit.ush("outfit", "equip", "--yes")
    rows = outfit.ush("package", "list", "-e", "field", "--json").json()["items"]
    assert {one["name"] for one in rows if one["requested"]} == {"combgraph", "hivehum", "waggle-io"}
    path.write_text(text.replace("[environment.field]", "[environment.field]\ninterpreter = '<3.8'"))
    assert "no catalog describes python <3.8" in outfit.ush("outfit", "equip", "--yes", code=4).err
    assert os.path.exists(outfit.environment("field"))


@pytest.mark.skipif(sys.version_info[:2] >= (3, 13), reason="the wheel is for a newer Python than ours")
@pytest.mark.parametrize("made_for", [{"tag": "cp313-cp313-linux_x86_64"}, {"requires_python": ">=3.12"}])
def test_a_package_for_another_python_has_that_one_named_and_it_is_the_next_plan(
    account: Account, tmp_path: Path, made_for: dict[str, str]
) -> None:
    wheel(tmp_path, "combgraph", "2.0", **made_for)  # type: ignore[arg-type]
    environment = '[environment.hive]\npackages = ["combgraph"]\n'
    text = f'[outfit]\nname = "combs"\n[index.wheels]\nurl = "{tmp_path}"\n{environment}'
    account.write("outfit.toml", text)
    before = visible_state(account.home)
    advice = (
        "Python 3.13, which is in a catalog, has all of it: write interpreter = '==3.13.*' below [environment.hive]"
    )
    for verb in ("equip", "lock"):
        assert advice in account.ush("outfit", verb, "--yes", code=4).err
    account.write("outfit.toml", f"{text}interpreter = '==3.13.*'\n")
    planned = account.ush("outfit", "plan", code=1).out
    assert "interpreter python-3.13" in planned
    assert "combgraph 2.0" in planned
    assert visible_state(account.home) == before | {"outfit.toml": visible_state(account.home)["outfit.toml"]}


def test_an_outfit_may_want_that_tab_completes(account: Account) -> None:
    account.write("outfit.toml", '[outfit]\nname = "tab"\n[shells]\nwire = ["bash"]\ncompletion = true\n')
    before = visible_state(account.home)
    account.ush("outfit", "equip", "--yes")
    assert "_ush_complete is a function" in account.session("type _ush_complete").out
    assert "this machine has all of it" in account.ush("outfit", "equip", "--yes").out
    assert "Tab completes the words of ush" in account.ush("look").out
    account.ush("outfit", "capture", "mine.toml", "--yes")
    assert tomllib.loads((account.home / "mine.toml").read_text())["shells"]["completion"] is True
    (account.home / "mine.toml").unlink()
    account.ush("undo", "2", "--yes")
    account.ush("undo", "1", "--yes")
    assert visible_state(account.home) == before


def test_a_starter_is_called_and_filled_as_asked_for(account: Account) -> None:
    account.ush("outfit", "new", "images", "--name", "comb photos", "--yes", code=2)
    account.ush("outfit", "new", "images", "--package", "hum >>2", "--yes", code=2)
    assert not (account.home / "outfit.toml").exists()
    account.ush("outfit", "new", "images", "--name", "combs", "--package", "hivehum>=2", "--yes")
    document = tomllib.loads((account.home / "outfit.toml").read_text())
    assert document["outfit"]["name"] == "combs"
    assert document["environment"]["images"]["packages"][-2:] == ["tifffile", "hivehum>=2"]


def test_a_library_of_another_language_is_equipped_kept_captured_and_refused_on_another(outfit: Account) -> None:
    outfit.write(
        "lua.toml",
        '[outfit]\nname = "combs"\n[environment.combs]\nlanguage = "lua"\ninterpreter = ">=5"\n'
        'variables = { COMB = "dark" }\n[environment.hive]\n',
    )
    outfit.ush("outfit", "equip", "lua.toml", "--yes")
    assert outfit.ush("environment", "run", "combs", "--", "sh", "-c", "echo $COMB $LUA_PATH").out.startswith(
        "dark /"
    )
    assert "this machine has all of it" in outfit.ush("outfit", "equip", "lua.toml", "--yes").out
    outfit.write(str(Path(outfit.environment("combs")) / "lib/lua/wax.lua"), "return {}\n")
    captured = outfit.ush("outfit", "capture", "captured.toml", "--yes", "--no-lock")
    assert "what is in the library of combs: wax.lua" in captured.out
    row = tomllib.loads((outfit.home / "captured.toml").read_text())["environment"]["combs"]
    assert row == {"language": "lua", "interpreter": "==5.4.*", "variables": {"COMB": "dark"}}
    text = (outfit.home / "lua.toml").read_text()
    for old, new, says in (
        ('"lua"', '"perl"', "combs is on Lua 5.4"),
        ('">=5"', '">=9"', "no catalog describes lua >=9"),
    ):
        outfit.write("lua.toml", text.replace(old, new))
        before = visible_state(outfit.home)
        assert says in outfit.ush("outfit", "equip", "lua.toml", "--yes", code=None).err
        assert visible_state(outfit.home) == before


def _describe_lua(account: Account, promised: str) -> None:
    """Make a catalog of a Lua that starts a real one, and says that it is 5.99.1."""
    program = '#!/bin/sh\n[ "$1" != -v ] || { echo "Lua 5.99.1"; exit; }\nexec /usr/bin/lua "$@"\n'
    tree = account.home / "made/lua-5.99.1"
    account.write("made/lua-5.99.1/bin/lua", program, 0o755)
    archive = archive_of(tree, account.home / "lua-5.99.1.gz")
    catalog_of(account.home / "catalog", archive.rename(account.home / "lua-5.99.1.tar.gz"), version=promised)
    shutil.rmtree(account.home / "made")


def test_a_lacking_interpreter_comes_in_the_same_change(account: Account) -> None:
    _describe_lua(account, "5.99.1")
    text = '[outfit]\nname = "combs"\n[catalog.own]\nurl = "catalog"\n[environment.combs]\nlanguage = "lua"\n'
    account.write("outfit.toml", text + 'interpreter = "==5.99.*"\n')
    before = visible_state(account.home)
    planned = account.ush("outfit", "plan", code=1).out
    assert "interpreter lua-5.99.1" in planned
    assert "environment combs" in planned, "one plan for both"
    done = account.ush("outfit", "equip", "--yes").out
    assert "its interpreter is ~/.local/share/unified-shell/interpreters/lua-5.99.1/bin/lua" in done
    assert "this machine has all of it" in account.ush("outfit", "plan").out
    assert "Lua 5.99.1" in account.ush("environment", "run", "combs", "--", "lua", "-v").out
    assert len(account.ush("journal", "--json").json()["items"]) == 1
    account.ush("undo", "--yes")
    assert visible_state(account.home) == before


def test_an_interpreter_is_locked_by_its_archive(account: Account) -> None:
    _describe_lua(account, "5.99.1")
    head = '[outfit]\nname = "combs"\n[catalog.own]\nurl = "catalog"\n[environment.combs]\nlanguage = "lua"\n'
    account.write("outfit.toml", head + 'interpreter = ">=5.99"\n')
    account.ush("outfit", "lock", "--yes")
    (row,) = tomllib.loads((account.home / "outfit.lock.toml").read_text())["interpreter"]
    archive = account.home / "lua-5.99.1.tar.gz"
    digest = hashlib.sha256(archive.read_bytes()).hexdigest()
    assert (row["language"], row["wanted"], row["version"], row["sha256"]) == ("lua", ">=5.99", "5.99.1", digest)
    assert "nothing moved" in account.ush("outfit", "lock", "--yes").out
    # A newer one does not take its place, and neither does another archive of that version.
    described = (account.home / "catalog/lua.toml").read_text()
    account.write("catalog/new.toml", described.replace("5.99.1", "5.99.2", 1))
    account.write(
        "catalog/catalog.toml", "".join(f'[[description]]\nfile = "{one}.toml"\n' for one in ("new", "lua"))
    )
    assert "interpreter lua-5.99.1" in account.ush("outfit", "plan", code=1).out
    account.write("catalog/lua.toml", described.replace(digest, "0" * 64))
    assert "another archive than the one that is locked" in account.ush("outfit", "equip", "--yes", code=4).err
    account.write("catalog/lua.toml", described)
    account.ush("outfit", "lock", "--refresh", "lua", "--yes")
    assert "interpreter lua-5.99.2" in account.ush("outfit", "plan", code=1).out


def test_an_interpreter_that_is_not_as_promised_changes_nothing(account: Account) -> None:
    _describe_lua(account, "5.99.2")
    account.write(
        "outfit.toml",
        '[outfit]\nname = "combs"\n[catalog.own]\nurl = "catalog"\n[environment.combs]\nlanguage = "lua"\n'
        'interpreter = "==5.99.*"\n',
    )
    before = visible_state(account.home)
    said = account.ush("outfit", "equip", "--yes", code=4).err
    assert "lua-5.99.2 is Lua 5.99.1; 5.99.2 was promised; nothing was changed" in said
    assert visible_state(account.home) == before
    assert not list((account.data / "interpreters").iterdir())


def test_an_environment_is_offered_in_the_change_that_makes_it(outfit: Account, study: Path) -> None:
    index = outfit.home / "wheels"
    shutil.copytree(study, index)
    wheel(index, "ipykernel", "6.0")
    before = visible_state(outfit.home)
    offers = '[environment.field]\nnotebook = true\napplications = ["swarmcast"]'
    path = outfit.home / "outfit.toml"
    text = path.read_text().replace(str(study), "wheels").replace("[environment.field]", offers)
    path.write_text(text.replace('["combgraph"]', '["combgraph", "swarmcast"]').split("[[check]]")[0])
    before = visible_state(outfit.home)
    outfit.ush("outfit", "equip", "--yes")
    shared = outfit.home / ".local/share"
    assert [one.parent.name for one in shared.glob("jupyter/kernels/*/kernel.json")]
    (entry,) = shared.glob("applications/*swarmcast.desktop")
    assert "environments/field/bin/swarmcast" in entry.read_text()
    assert "this machine has all of it" in outfit.ush("outfit", "equip", "--yes").out
    outfit.ush("outfit", "capture", "mine.toml", "--yes", "--no-lock")
    captured = tomllib.loads((outfit.home / "mine.toml").read_text())["environment"]["field"]
    assert (captured["notebook"], captured["applications"]) == (True, ["swarmcast"])
    outfit.ush("undo", "--yes")
    outfit.ush("undo", "1", "--yes")
    assert visible_state(outfit.home) == before


def test_a_lock_from_elsewhere_that_lacks_what_an_extra_needs_is_found_out(account: Account) -> None:
    index = account.home / "wheels"
    index.mkdir()
    # An extra asks for one of another project; what holds for another system is not asked for.
    needs = ['wax[deep]; extra == "plots"', 'wax[moon]; sys_platform == "win32"']
    wheel(index, "hum", requires=needs, extras=["plots"])
    wheel(index, "wax", requires=['comb; extra == "deep"', 'tide; extra == "moon"'], extras=["deep", "moon"])
    wheel(index, "comb")
    packages = '["hum[plots]"]'
    account.write(
        "outfit.toml", f'[outfit]\nname = "c"\n[index.i]\nurl = "wheels"\n[environment.hive]\npackages = {packages}\n'
    )
    rows = ['lock-version = "1.0"\ncreated-by = "elsewhere"\n']
    for path in sorted(index.glob("*.whl")):
        digest = hashlib.sha256(path.read_bytes()).hexdigest()
        rows.append(
            f'[[packages]]\nname = "{path.name.split("-")[0]}"\nversion = "1.0"\n[[packages.wheels]]\n'
            f'name = "{path.name}"\npath = "wheels/{path.name}"\nhashes = {{ sha256 = "{digest}" }}\n'
        )
    comb, hum, wax = rows[1:]
    account.write("pylock.hive.toml", rows[0] + hum + wax)
    told = account.ush("outfit", "equip", "--yes", code=1).out
    assert "comb" in told
    fault = account.ush("verify", "hive", "--json", code=1).json()["targets"][0]["findings"]
    (found,) = [one for one in fault if one["verdict"] == "fault"]
    assert (found["subject"], found["cause"]) == ("wax", "dependency-absent")
    account.ush("undo", "--yes")
    account.write("pylock.hive.toml", rows[0] + comb + hum + wax)
    account.ush("outfit", "equip", "--yes")
    account.ush("verify", "hive")
