"""The ways in which suites come: several in one plan, folders, addresses, builds that go on, for one environment, newer ones;
applications with their own interpreter; and what their trials keep.
"""

import hashlib
import os
import shutil
import signal
import struct
import subprocess
import time
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, USH, Account, visible_state
from support.server import Loopback, loopback
from support.suites import packed, suite
from support.terminal import Terminal

SOURCE = 'kind = "source"'
MAKEFILE = """
all:
\t@echo made >> made.txt; test ! -e $(HOME)/../stop || sleep 60
install:
\tmkdir -p $(PREFIX)/bin; cp hum $(PREFIX)/bin/hum; chmod +x $(PREFIX)/bin/hum
"""
HUM = "#!/bin/sh\necho hum $*\n"


def test_what_a_suite_needs_comes_in_the_same_plan(account: Account) -> None:
    before = visible_state(account.home)
    suite(account, "wax")
    suite(account, "comb", more='[needs]\nsuites = ["wax"]')
    suite(account, "hive", more='[needs]\nsuites = ["comb", "wax"]')
    told = account.ush("suite", "get", "hive", "--yes").out
    assert [told.index(f"suite {one}-1.0, in") for one in ("wax", "comb", "hive")] == sorted(
        told.index(f"suite {one}-1.0, in") for one in ("wax", "comb", "hive")
    )
    assert account.session("wax; comb; hive").out == "wax 1.0\ncomb 1.0\nhive 1.0\n"
    refused = account.ush("suite", "drop", "wax", "--yes", code=3).err
    assert "is needed by: suite comb-1.0, suite hive-1.0" in refused
    account.ush("undo", "--yes")
    kept = {one for one in visible_state(account.home).keys() ^ before.keys() if "catalog" not in one}
    assert kept == {".config/unified-shell/config.toml"}, "one undo for all three"
    first = account.ush("suite", "get", "wax", "--yes").out.partition("as change ")[2].partition(";")[0]
    account.ush("suite", "get", "comb", "--yes")
    assert "suite get comb" in account.ush("undo", first, "--yes", code=3).err, "it needs what came first"
    account.ush("undo", first, "--through", "--yes")
    suite(account, "drone", more='[needs]\nsuites = ["queen", "drone"]')
    assert "the suite queen" in account.ush("suite", "get", "drone", "--yes", code=4).err


def test_a_newer_version_stands_in_front_and_the_older_stays(account: Account) -> None:
    suite(account, "wax")
    account.ush("suite", "get", "wax", "--yes")
    assert "no catalog offers a newer version than wax-1.0" in account.ush("suite", "refresh", "wax", "--yes").out
    suite(account, "wax", "1.2")
    suite(account, "wax", "2.0")
    assert "Update wax from 1.0 to 1.2" in account.ush("suite", "refresh", "wax<2", "--plan").out
    told = account.ush("suite", "refresh", "wax", "--yes").out
    assert "wax-1.0 stays beside it" in told
    assert account.session("wax").out == "wax 2.0\n"
    account.ush("command", "prefer", "wax", account.data / "suites/wax-1.0/bin/wax", "--yes")
    assert account.session("wax").out == "wax 1.0\n"
    account.ush("undo", "--yes")
    account.ush("suite", "drop", "wax-1.0", "--yes")
    assert account.session("wax").out == "wax 2.0\n"


def test_a_suite_for_one_environment_is_there_while_it_is_entered(account: Account) -> None:
    suite(account, "wax", offers='variables = { HUM_MODE = "loud" }')
    account.new_environment("hive")
    account.ush("suite", "get", "wax", "-e", "hive", "--yes")
    assert account.session("wax").code == 127
    assert account.ush("environment", "run", "hive", "--", "wax").out == "wax 1.0 loud\n"
    assert "while it is entered" in account.ush("environment", "show", "hive").out
    account.ush("environment", "copy", "hive", "field", "--yes")
    assert account.ush("environment", "run", "field", "--", "wax").out == "wax 1.0 loud\n"
    refused = account.ush("suite", "drop", "wax", "--yes", code=3).err
    assert "is needed by: environment field, environment hive" in refused
    suite(account, "wax", "1.1")
    account.ush("suite", "refresh", "wax", "--yes")
    assert account.session("wax").code == 127, "what no session had, none gets"


def test_a_build_that_was_interrupted_goes_on(account: Account) -> None:
    files = {"Makefile": MAKEFILE, "hum": HUM}
    steps = '["sh", "-c", "echo first >> first.txt"], ["make"], ["make", "install", "PREFIX={prefix}"]'
    suite(account, "hum", files=files, form=f"{SOURCE}\nbuild = [{steps}]", more='clean = [["rm", "-f", "old.o"]]')
    builds = account.home / ".cache/unified-shell/builds"
    stop = builds / "stop"
    stop.parent.mkdir(parents=True)
    stop.touch()
    process = subprocess.Popen(
        [USH, "suite", "get", "hum", "--yes"],
        env=account.variables,
        cwd=account.home,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        start_new_session=True,
    )
    end = time.monotonic() + 30
    while not list(builds.glob("hum-*/source/*/made.txt")):
        assert time.monotonic() < end
        time.sleep(0.05)
    os.killpg(process.pid, signal.SIGINT)
    said = process.communicate(timeout=30)[0].decode()
    assert process.returncode == 130, said
    (source,) = builds.glob("hum-*/source/*")
    stop.unlink()
    log = account.home / ".cache/unified-shell/logs/build-hum-1.0.log"
    account.ush("suite", "get", "hum", "--yes")
    steps_run = [line.split()[2] for line in log.read_text().splitlines() if line.startswith("== step")]
    assert steps_run == ["1", "2", "2", "3"], "what was done is not done again"
    assert not source.exists(), "its folder goes with its end"
    assert account.session("hum").out == "hum\n"
    account.ush("suite", "get", "hum", "--rebuild", "--yes")
    assert log.read_text().count("== step 1") == 2
    account.ush("undo", "--yes")
    assert account.session("hum").out == "hum\n"


CONDITIONAL = """[needs]
[[needs.conditional]]
need = "the queen's seal"
failure = "no seal found"
line = "apt-get install queen-seal"
"""


def test_a_failed_build_names_the_need_that_mends_it(account: Account) -> None:
    build = '[["sh", "-c", "echo checking for seal; echo error: no seal found; exit 2"]]'
    suite(account, "hum", files={"hum": HUM}, form=f"{SOURCE}\nbuild = {build}", more=CONDITIONAL)
    assert "seal" not in account.ush("suite", "get", "hum", "--plan").out
    failed = account.ush("suite", "get", "hum", "--yes", code=4).err
    assert "error: no seal found" in failed
    assert "It needs the queen's seal, which mends this" in failed
    assert "Next: apt-get install queen-seal" in failed
    slow = f'{SOURCE}\nlimit-seconds = 1\nbuild = [["sleep", "60"]]'
    suite(account, "slow", files={"hum": HUM}, form=slow)
    assert "did not end within 1 s" in account.ush("suite", "get", "slow", "--yes", code=4).err


def test_the_compiler_that_was_chosen_builds_it(account: Account) -> None:
    account.tool("beecc", "$0 was here", folder="bees")
    build = '[["sh", "-c", "mkdir -p {prefix}/bin && $CC > {prefix}/bin/hum && chmod +x {prefix}/bin/hum"]]'
    needs = '[needs]\ncompilers = ["c"]\nmodules = { python = "json" }\nsystem-packages = { debian = "beecc" }'
    suite(account, "hum", files={"hum": HUM}, form=f"{SOURCE}\nbuild = {build}", more=needs)
    told = account.ush("suite", "get", "hum", "--compiler", account.home / "bees/beecc", "--yes").out
    assert "C compiler: ~/bees/beecc, chosen for this build only" in told
    assert "beecc was here" in next((account.data / "suites").glob("hum-*/bin/hum")).read_text()
    assert "is not one of: c" in account.ush("suite", "get", "hum", "--compiler", "wax=gcc", code=2).err
    assert "no compiler 'none'" in account.ush("suite", "get", "hum", "--compiler", "none", code=2).err
    suite(
        account, "lost", files={"hum": HUM}, form=f"{SOURCE}\nbuild = {build}", more=needs.replace("json", "no_wax")
    )
    lost = account.ush("suite", "get", "lost", "--yes", code=4).err
    assert "the module no_wax of python" in lost
    assert "Next: apt-get install beecc" in lost


def test_folders_addresses_and_archives_of_several_are_looked_into(account: Account) -> None:
    for name in ("hum-1.0", "wax-2.0"):
        account.write(f"both/{name}/bin/{name[:3]}", HUM, 0o644)
    told = account.ush("suite", "get", "both/hum-1.0", "--yes").out
    assert "made executable: bin/hum" in told
    assert account.session("hum 1").out == "hum 1\n"
    archive = packed(
        account.home / "bees-1.0.tar.gz", {"bees/hum-1/bin/hum": HUM, "bees/wax-2/bin/wax": HUM}, mode=0o644
    )
    several = account.ush("suite", "get", "./bees-1.0.tar.gz", code=4).err
    assert "holds several: bees/hum-1, bees/wax-2" in several
    account.ush("suite", "get", "./bees-1.0.tar.gz", "--root", "bees/wax-2", "--yes")
    assert account.session("wax 2").out == "hum 2\n"
    with loopback() as server:
        _from_an_address(account, server, archive)
    # A program of another processor, by its header.
    head = bytearray(Path("/bin/true").read_bytes()[:64])
    head[18:20] = struct.pack("<H", 183 if os.uname().machine == "x86_64" else 62)
    packed(account.home / "far-1.0.tar.gz", {"far-1.0/bin/far": bytes(head)})
    assert "this machine is" in account.ush("suite", "get", "./far-1.0.tar.gz", "--yes", code=4).err


def _from_an_address(account: Account, server: Loopback, archive: Path) -> None:
    server.pages["/queens-3.0.tar.gz"] = (
        "application/gzip",
        packed(archive, {"queens-3.0/bin/queen": HUM}).read_bytes(),
    )
    address = f"{server.address}/queens-3.0.tar.gz"
    assert "needs the SHA-256" in account.ush("suite", "get", address, code=2).err
    assert account.ush("suite", "get", address, "--sha256", "0" * 64, "--yes", code=None).code in (3, 4)
    digest = hashlib.sha256(archive.read_bytes()).hexdigest()
    account.ush("suite", "get", address, "--sha256", digest, "--yes")
    assert account.session("queen").out == "hum\n"


def test_one_is_chosen_at_a_terminal(account: Account) -> None:
    suite(account, "wax")
    suite(account, "comb", more='[needs]\nsuites = ["wax"]')
    with Terminal([USH, "suite", "get"], account.variables, account.home) as terminal:
        shown = terminal.wait_for("Its number or name")
        assert "brings wax" in shown
        assert shown.index("bwa") < shown.index("comb"), "by category"
        terminal.type("nonsense")
        terminal.wait_for("nonsense is neither")
        terminal.type("comb")
        terminal.wait_for("Go ahead?")
    assert "no suite is named" in account.ush("suite", "get", code=2).err


TRIAL = """
[trial]
place = "{place}"
[trial.sample]
file = "hums.tar.gz"
{where}
sha256 = "{sha256}"
[[trial.run]]
command = ["wax", "-"]
output = "said.txt"
[[trial.makes]]
file = "said.txt"
says = "wax 1.0"
"""


def test_a_trials_sample_is_fetched_put_where_it_belongs_and_its_evidence_kept(account: Account) -> None:
    sample = packed(account.home / "apiary-catalog/hums.tar.gz", {"hums/calm.txt": "220\n", "hums/loud.txt": "310\n"})
    digest = hashlib.sha256(sample.read_bytes()).hexdigest()
    by_hand = TRIAL.format(place="data", where='by-hand = "Ask the apiary"', sha256=digest)
    suite(account, "comb", offers=by_hand.replace("wax", "comb"))
    account.ush("suite", "get", "comb", "--yes")
    assert "Ask the apiary" in account.ush("suite", "try", "comb", "--into", "u", code=3).err
    assert not (account.home / "u").exists()
    other = packed(account.home / "other.tar.gz", {"x/y": "z"})
    refused = account.ush("suite", "try", "comb", "--sample", other, "--into", "u", code=None).err
    assert "is not the sample data" in refused
    account.ush("suite", "try", "comb", "--sample", sample, "--into", "u")
    assert (account.home / "u/data/calm.txt").read_text() == "220\n"
    here = TRIAL.format(place="{home}/hive-data", where='url = "hums.tar.gz"', sha256=digest)
    suite(account, "wax", offers=here)
    account.write("hive-data/calm.txt", "mine\n")
    account.ush("suite", "get", "wax", "--yes")
    refused = account.ush("suite", "try", "wax", "--into", "t", code=3).err
    assert "holds other content: calm.txt is not that of the sample" in refused
    assert (account.home / "hive-data/calm.txt").read_text() == "mine\n"
    shutil.rmtree(account.home / "hive-data")
    shutil.rmtree(account.home / "t")
    account.ush("suite", "try", "wax", "--into", "t")
    assert (account.home / "hive-data/loud.txt").read_text() == "310\n"
    account.ush("suite", "try", "wax", "--into", "again")
    (account.home / "hive-data/loud.txt").unlink()
    account.ush("suite", "try", "wax", "--into", "third", code=3)
    kept = account.ush("suite", "show", "wax", "--json").json()["trials"]
    assert [len(one["faults"]) for one in kept] == [0, 0]
    assert kept[0]["runs"][0]["processes"] == 1
    assert "all 2 passed" in account.ush("suite", "show", "wax").out


def test_an_application_with_its_own_interpreter_is_adopted(account: Account) -> None:
    place = account.home / "opt/honeyview-0.9"
    python = Path(BASE_PYTHON).resolve()
    for folder in ("bin", "Mod/hexgrid", "ext"):
        (place / folder).mkdir(parents=True)
    shutil.copy(python, place / "bin/python3")
    for folder in ("lib", "include"):
        (place / folder).symlink_to(python.parent.parent / folder)
    account.write("opt/honeyview-0.9/Mod/hexgrid/__init__.py", "CELLS = 6\n")
    account.write("opt/honeyview-0.9/Mod/comb.py", "import hexgrid\n")
    account.tool("honeyview", folder="opt/honeyview-0.9/bin")
    account.tool("python3", "mine", folder="tools")
    account.ush("path", "add", "tools", "--yes")
    told = account.ush("suite", "adopt", place, "--yes").out
    assert "its own Python 3" in told
    assert account.session("honeyview; python3").out == "here\nmine\n", "its interpreter stays behind mine"
    account.ush("environment", "new", "study", "--interpreter", "suite:honeyview", "--yes")
    line = "import comb, hexgrid, sys; print(hexgrid.CELLS, sys.base_prefix)"
    assert account.ush("environment", "run", "study", "--", "python", "-c", line).out == f"6 {place}\n"
    assert "is needed by: environment study" in account.ush("suite", "drop", "honeyview", "--yes", code=3).err
    account.write("opt/honeyview-0.9/Mod/wings.cpython-27-x86_64-linux-gnu.so", b"\x7fELF")
    account.write("opt/honeyview-0.9/Mod/sting.py", "import no_such_hum\n")
    (found,) = account.ush("verify", "suite:honeyview", "--json", code=1).json()["targets"]
    faults = {
        one["question"].rpartition(" ")[2]: one["answer"] for one in found["findings"] if one["verdict"] == "fault"
    }
    assert "is for another Python" in faults["wings"]
    assert "No module named 'no_such_hum'" in faults["sting"]
    shutil.copytree(place, account.home / "second/honeyview-0.9", symlinks=True)
    both = account.ush("suite", "adopt", "second/honeyview-0.9", "--yes", code=3).err
    assert "--as honeyview.2-0.9" in both


@pytest.mark.parametrize("verb", ["drop", "add"])
def test_the_shipped_catalog_stays_and_is_asked_last(account: Account, verb: str) -> None:
    if verb == "drop":
        assert "is part of ush" in account.ush("catalog", "drop", "starter", "--yes", code=3).err
        assert "qhull" in account.ush("suite", "get", "qhull", "--plan").out
        return
    suite(account, "qhull", "9.0")
    assert "qhull-9.0" in account.ush("suite", "get", "qhull", "--plan").out
