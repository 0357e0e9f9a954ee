"""Verification finds what is at fault, names the cause, and mends what needs no decision; and says so of nothing else."""

import json
import re
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from support.account import Account, visible_state
from support.faults import FAULTS, apiary_home, sting
from support.restoring import restore
from support.wheels import wheel
from unified_shell.core.findings import Cause
from unified_shell.core.verification.checks.table import CHECKS


@pytest.fixture(scope="module")
def prepared(tmp_path_factory: pytest.TempPathFactory, study: Path) -> tuple[Account, Path]:
    """A home with one of everything, and a copy of it."""
    home = tmp_path_factory.mktemp("faults") / "home"
    home.mkdir()
    account = Account(home)
    apiary_home(account, study)
    assert account.ush("verify").out.rstrip().endswith("all passed.")
    kept = home.parent / "kept"
    shutil.copytree(home, kept, symlinks=True)
    return account, kept


@pytest.fixture
def whole(prepared: tuple[Account, Path]) -> Iterator[Account]:
    """That home, and as it was again afterwards."""
    account, kept = prepared
    yield account
    restore(account.home, kept)


def _faults(account: Account, *words: str) -> list[dict[str, str]]:
    found = account.ush("verify", *words, "--json", code=None).json()
    return [one for target in found["targets"] for one in target["findings"] if one["verdict"] == "fault"]


@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_is_found_with_its_cause_and_mended_where_that_is_safe(whole: Account, name: str) -> None:
    fault = FAULTS[name]
    fault.make(whole)
    targets = [one.replace("~", str(whole.home)) for one in fault.targets]
    every = _faults(whole, *targets)
    found = [one for one in every if one["cause"] == fault.cause]
    assert any(fault.says in one["answer"].replace(str(whole.home), "~") for one in found), every
    assert all(one["remedy"] for one in every), "each says what to do next"
    if name == next(each for each, one in FAULTS.items() if one.targets == fault.targets) and fault.is_managed:
        assert [one for one in _faults(whole) if one["cause"] == fault.cause], "without a name it is found as well"
    assert any(one["mend"] for one in every) == fault.mends
    if fault.mends:
        whole.ush("verify", *targets, "--mend", "--yes")
        assert not _faults(whole, *(one for one in targets if not one.endswith("kernel.json")))


def test_several_faults_are_mended_in_one_plan_that_can_be_undone(whole: Account) -> None:
    names = [
        "the_hook_up_was_taken_out",
        "the_link_of_a_preferred_command_is_gone",
        "a_launcher_was_deleted",
        "a_notebook_kernel_of_an_environment_that_is_gone",
        "what_a_got_command_needs_was_deleted",
    ]
    for name in names:
        FAULTS[name].make(whole)
    broken, before = {one["cause"] for one in _faults(whole)}, visible_state(whole.home)
    assert broken >= {"not-hooked-up", "not-found", "launcher-absent", "offer-dangles", "not-installed"}
    shown = whole.ush("verify", "--mend", "--plan").out
    assert visible_state(whole.home) == before, "a plan that is only shown changes nothing"
    assert "Mend 4 things that are at fault" in shown
    whole.ush("verify", "--mend", "--yes")
    mended = visible_state(whole.home)
    assert not _faults(whole)
    undone = whole.ush("undo", "--yes", code=None).out
    assert {one["cause"] for one in _faults(whole)} == broken
    (number,) = re.findall(r"Redo: ush undo (\d+)", undone)
    whole.ush("undo", number, "--yes")
    assert visible_state(whole.home) == mended


def test_every_cause_is_made_somewhere() -> None:
    elsewhere = {
        "": "no cause at all",
        "volume-absent": "test_machine",
        "module-hangs": "below",
        "begun-before": "below",
        "kernel-fails": "below",
        "output-differs": "below",
        "file-differs": "below",
        "service-silent": "below",
    }
    made = {one.cause for one in FAULTS.values()}
    assert made | set(elsewhere) == {one.value for one in Cause}
    assert len(made) >= 40


def test_a_running_program_that_began_before_the_change_is_named(whole: Account) -> None:
    words = [str(whole.environment() / "bin/python"), "-c", "import time; time.sleep(60)"]
    with subprocess.Popen(words, start_new_session=True) as running:
        try:
            time.sleep(0.5)
            told = whole.ush("package", "drop", "swarmcast", "-e", "hive", "--yes").out
            assert f"({running.pid}) began before this change of hive; restart it" in told
            assert [one["process_id"] for one in whole.ush("look", "--json").json()["programs_on_old"]] == [
                running.pid
            ]
            (fault,) = _faults(whole, "hive")
            assert (fault["cause"], f"({running.pid})" in fault["answer"]) == ("begun-before", True)
        finally:
            running.kill()
    assert not _faults(whole, "hive")


OWN_CHECKS = """
[[check]]
name = "a day's hum"
command = ["sh", "-c", "printf 'hour,peak\\n1,210\\n2,260\\n' > day.csv; cat >&2"]
input = "hums"
says = "hums"
never-says = "not found"
[[check.makes]]
file = "day.csv"
rows = 2
columns = 2
column = "peak"
least = 200
most = 300

[[check]]
name = "usage counts as a start"
command = ["sh", "-c", "echo usage: hum; exit 2"]
exit-codes = [1, 2]
says-pattern = "^usage"

[[check]]
name = "a version"
command = ["weigh", "--version"]
version = ">=1.3"
version-pattern = "weigh (.*)"

[[check]]
module = "swarmcast"
in = "hive"
true = "swarmcast.__name__ == 'swarmcast'"

[[check]]
name = "a script"
script = "sum.py"
in = "hive"
prints = "42"

[[check]]
name = "a service"
serves = ["python", "-m", "http.server", "{port}", "--bind", "127.0.0.1"]
in = "hive"
port = {port}

[[check]]
name = "a display"
command = ["hum"]
needs = ["display"]

[[check]]
name = "a device"
command = ["hum"]
needs = "device:/dev/no-such-scale"
"""
BIG = '["python3", "-c", "bytearray(400_000_000)"]\nlimit-memory = "100 MB"'
# What is changed of those, the check that then fails, its cause, and words of the answer.
BROKEN_CHECKS = (
    ("rows = 2", "rows = 3", "a day's hum", "file-differs", "has 2 rows, not 3"),
    ("most = 300", "most = 250", "a day's hum", "file-differs", "has 260.0 in row 2 of peak"),
    ('file = "day.csv"', 'file = "night.csv"', "a day's hum", "file-differs", "night.csv was not made"),
    ("columns = 2", "columns = 2\npicture = true", "a day's hum", "file-differs", "not a picture that opens"),
    ('says = "hums"', 'says = "stings"', "a day's hum", "output-differs", "does not say 'stings'"),
    ('"not found"', '"hums"', "a day's hum", "output-differs", "it says 'hums'"),
    ("exit 2", "exit 3", "usage counts as a start", "fails-at-start", "exit code 3"),
    ('version = ">=1.3"', 'version = ">=2"', "a version", "version-outside", "it says 1.4, not >=2"),
    ('["weigh",', '["no-such-scale",', "a version", "not-found", "is not found in a new session"),
    ("== 'swarmcast'", "== 'hum'", "module swarmcast: swarmcast.__name__ == 'hum'", "module-fails", "not true"),
    ('prints = "42"', 'prints = "41"', "a script", "output-differs", "it prints '42'"),
    ('input = "hums"', 'limit-seconds = 1\ninput = "hums"', "a day's hum", "limit-exceeded", "did not end"),
    ('["weigh", "--version"]', BIG, "a version", "limit-exceeded", "MemoryError"),
    ("http.server", "no_such_server", "a service", "service-silent", "ended before it answered"),
)


def _checks(account: Account, port: int, before: str = "", after: str = "") -> list[dict[str, str]]:
    text = OWN_CHECKS.replace("{port}", str(port))
    assert before in text
    text = text.replace(before, after) if before else text
    if "limit-seconds" in after:
        text = text.replace("cat >&2", "cat >&2; sleep 20")
    account.write("sum.py", "print(40 + 2)\n")
    account.write("checks.toml", text)
    found = account.ush("verify", "--checks", "checks.toml", "--json", code=1 if before else 0).json()
    return [one for target in found["targets"] for one in target["findings"]]


def test_a_persons_own_checks_are_carried_out_and_each_is_seen_to_fail(whole: Account) -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    found = {one["question"]: one["verdict"] for one in _checks(whole, port)}
    assert list(found.values()) == ["passed"] * 6 + ["not tried"] * 2
    for before, after, name, cause, says in BROKEN_CHECKS:
        wrong = [one for one in _checks(whole, port, before, after) if one["verdict"] == "fault"]
        assert [(one["cause"], one["question"].startswith(name)) for one in wrong] == [(cause, True)], (after, wrong)
        assert says in wrong[0]["answer"]


def test_every_mistake_in_a_file_of_checks_is_told_with_its_line(whole: Account) -> None:
    whole.write(
        "bad.toml", '[[check]]\ncommand = ["a"]\nmodule = "b"\nneds = 3\n[[check]]\nserves = ["x"]\nneeds = "queen"\n'
    )
    told = whole.ush("verify", "--checks", "bad.toml", code=4).err
    assert "line 1: a [[check]] has command and module" in told
    assert "line 4: unknown key 'neds'; did you mean needs?" in told
    assert "line 7: needs = 'queen'" in told


def test_what_is_no_name_says_where_it_was_looked_for(whole: Account) -> None:
    told = whole.ush("verify", "wiegh", code=2).err
    assert "looked among environments, interpreters, suites, commands, variables, packages, modules" in told
    assert "command weigh" in told
    assert "Next: ush verify swarmcast" in whole.ush("verify", "swarmcsat", code=2).err, "the likest of all kinds"
    assert "package waggle-io in hive" in whole.ush("verify", "Waggle_IO@hive").out
    assert "module waggle in hive" in whole.ush("verify", "waggle@hive").out
    assert "no version to compare" in whole.ush("verify", "environment:hive>=2", code=2).err
    assert "is not a valid version bound" in whole.ush("verify", "weigh>=x", code=2).err
    whole.ush("verify", "hive", "hivehum>=2", "module:waggle@hive", "HIVE_DATA", "~/.bashrc", "~/tools")


def test_reports_are_what_their_standards_say(whole: Account) -> None:
    import jsonschema  # type: ignore[import-untyped]  # it has no types of its own
    import xmlschema
    from referencing import Registry, Resource

    schemas = Path(__file__).parent.parent / "support/schemas"
    before = whole.write("before.json", whole.ush("verify", "--json").out)
    (whole.home / "tools").rename(whole.home / "tools-old")
    words = ("--junit", "out.xml", "--bill", "b.cdx.json", "--html", "out.html", "--against", before)
    done = whole.ush("verify", *words, code=1)
    assert "new fault: " in done.out
    xmlschema.XMLSchema(schemas / "junit-10.xsd").validate(whole.home / "out.xml")
    read = {name: json.loads((schemas / f"{name}.SNAPSHOT.schema.json").read_text()) for name in ("spdx", "jsf-0.82")}
    registry = Registry().with_resources(
        [
            (f"{base}{name}.SNAPSHOT.schema.json", Resource.from_contents(one))
            for name, one in read.items()
            for base in ("", "http://cyclonedx.org/schema/")
        ]
    )
    schema = json.loads((schemas / "bom-1.6.SNAPSHOT.schema.json").read_text())
    bill = json.loads((whole.home / "b.cdx.json").read_text())
    jsonschema.Draft7Validator(schema, registry=registry).validate(bill)
    names = {one["name"]: {part["name"] for part in one["components"]} for one in bill["components"]}
    assert names == {"field": set(), "hive": {"swarmcast", "hivehum", "combgraph", "waggle-io"}}
    whole.ush("verify", "hive", "--bill", "b.spdx.json")
    spdx = json.loads((whole.home / "b.spdx.json").read_text())
    ids = {one["SPDXID"] for one in spdx["packages"]} | {"SPDXRef-DOCUMENT"}
    assert all({one["spdxElementId"], one["relatedSpdxElement"]} <= ids for one in spdx["relationships"])
    page = (whole.home / "out.html").read_text()
    assert "tools-old is beside it" in page
    assert "<svg role=" in page
    assert not re.search(r'(src|href)="(?!#)|url\((?!#)|@import|<script', page), "nothing is fetched"
    mine = whole.write("mine.html", "my own notes")
    whole.ush("verify", "hive", "--html", mine, code=3)
    assert mine.read_text() == "my own notes"
    assert "is not a report" in whole.ush("verify", "hive", "--against", mine, code=4).err


def test_a_module_that_hangs_is_one_finding(whole: Account) -> None:
    sting(whole, "import time\ntime.sleep(600)\n")
    (fault,) = _faults(whole, "module:sting@hive", "--limit", "1")
    assert (fault["cause"], "did not end within 1 s" in fault["answer"]) == ("module-hangs", True)


def test_the_table_of_checks_is_whole(whole: Account) -> None:
    told = whole.ush("verify", "--list-checks", "--json").json()["items"]
    assert len({one["name"] for one in told}) == len(told) == len(CHECKS)
    assert {one["check"] for one in _all_findings(whole)} <= {one["name"] for one in told}


def _all_findings(account: Account) -> list[dict[str, str]]:
    found = account.ush("verify", "--json").json()
    return [one for target in found["targets"] for one in target["findings"]]


def test_a_module_that_forgets_an_import_of_its_own_fails_as_it_would_alone(account: Account) -> None:
    """Nothing of the standard library is loaded ahead that it could rely on without saying so."""
    index = account.home / "wheels"
    index.mkdir()
    wheel(index, "hum", files={"hum.py": b"import concurrent\nBEES = concurrent.futures.Future\n"})
    account.ush("index", "add", "own", index, "--yes")
    account.new_environment()
    told = account.ush("package", "get", "hum", "-e", "hive", "--yes", code=1).out
    assert "has no attribute 'futures'" in told


def test_what_a_command_or_an_outfit_brings_is_tried_at_its_end(account: Account) -> None:
    index = account.home / "wheels"
    index.mkdir()
    wheel(index, "hum", commands=["hum = hum:main"], files={"hum.py": b"import gone_with_the_wind\n"})
    account.ush("index", "add", "own", index, "--yes")
    told = account.ush("command", "get", "hum", "--yes", code=1).out
    assert "gone_with_the_wind" in told
    assert "ush command refresh hum" in told, "its environment has no name to type"
    account.ush("command", "refresh", "hum", "--yes")
    account.ush("command", "drop", "hum", "--yes")
    for part in ('[environment.hive]\npackages = ["hum"]\n', "[command.hum]\n"):
        account.write("outfit.toml", f'[outfit]\nname = "c"\n{part}')
        assert "gone_with_the_wind" in account.ush("outfit", "equip", "--yes", code=1).out
