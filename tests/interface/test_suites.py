"""Suites: got ready-built and from source, wired, verified, tried, dropped and undone; and what goes wrong."""

import cmath
import csv
import math
import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from support.account import Account, visible_state
from support.digests import digest_of_tree
from unified_shell.demo.sample_suite import RATE, hum, make_humscan_catalog


@pytest.fixture
def study_suite(account: Account) -> Account:
    """An account with a catalog that describes humscan."""
    make_humscan_catalog(str(account.home / "catalog"))
    account.ush("catalog", "add", "apiary", account.home / "catalog", "--yes")
    return account


def _spectrum(path: Path) -> dict[int, float]:
    with path.open(newline="") as file:
        return {int(row["hertz"]): float(row["power"]) for row in csv.DictReader(file)}


def test_both_forms_are_got_wired_tried_and_undone(study_suite: Account) -> None:
    account, before = study_suite, visible_state(study_suite.home)
    (offered,) = account.ush("suite", "list", "humscan", "--json").json()["items"]
    assert (offered["state"], offered["forms"]) == ("offered", ["binary", "source"])
    for form in ("binary", "source"):
        account.ush("suite", "get", "humscan>=1.4", "--form", form, "--yes")
        assert account.session("humscan --version").out == "humscan 1.4.0\n"
        assert account.session("ls $HUMSCAN_SAMPLES").out == "calm.wav\nswarming.wav\n"
        found = {one["target"]: one for one in account.ush("verify", "--json").json()["targets"]}
        assert "suite humscan-1.4.0" in found
        account.ush("verify", "suite:humscan>=1.4")
        told = account.ush("suite", "try", "humscan", "--into", form).out
        assert "spectrum.csv is the same of 1 process and of 2" in told
        assert (account.home / form / "spectrum.png").read_bytes().startswith(b"\x89PNG"), "a plot to look at"
        assert "Nothing to change" in account.ush("suite", "get", "humscan", "--yes").out
        shown = account.ush("suite", "show", "humscan").out
        assert "not wired" not in shown
        account.ush("undo", "--yes")
        assert account.session("humscan --version").code == 127
    after = visible_state(account.home)
    assert {name for name in after.keys() ^ before.keys() if not name.startswith(("binary/", "source/"))} == set()
    # The same numbers of both forms, and by another way to compute them: the discrete Fourier transform's own sum.
    spectrum = _spectrum(account.home / "source/spectrum.csv")
    assert spectrum == _spectrum(account.home / "binary/spectrum.csv")
    samples = [one / 32768 for one in hum("swarming")]
    for hertz in (220, 310, 400):
        turn = -2j * math.pi * hertz / RATE
        total = sum(sample * cmath.exp(turn * at) for at, sample in enumerate(samples))
        assert math.isclose(abs(total) ** 2 / len(samples) ** 2, spectrum[hertz], rel_tol=1e-4, abs_tol=1e-12)
    assert max(spectrum, key=spectrum.__getitem__) == 310


def test_a_suite_is_dropped_with_all_that_leads_into_it(study_suite: Account) -> None:
    study_suite.ush("suite", "get", "humscan", "--yes")
    study_suite.ush("path", "add", study_suite.tool("hum").parent, "--yes")
    study_suite.ush("suite", "drop", "humscan", "--yes")
    assert study_suite.session("humscan; hum; echo $HUMSCAN_SAMPLES").out == "here\n\n"
    assert study_suite.ush("look", "--json").json()["suites"] == []
    study_suite.ush("undo", "--yes")
    assert study_suite.session("humscan --version").out == "humscan 1.4.0\n"
    assert study_suite.ush("look", "--json").json()["suites"] == ["humscan-1.4.0"]
    study_suite.ush("verify")


NEEDS = """
[needs]
commands = { make = ">=99", no-such-tool = "" }
headers = ["no_such_hum.h"]
libraries = ["nosuchhum"]
suites = ["combscan"]
"""


def test_a_suite_that_is_on_no_path_is_named_as_the_owner(study_suite: Account) -> None:
    study_suite.ush("suite", "get", "humscan", "--no-wire", "--yes")
    assert "in suite humscan-1.4.0" in study_suite.ush("look", "humscan", code=1).out


def test_all_that_is_missing_is_told_at_once_and_nothing_is_changed(study_suite: Account) -> None:
    path = study_suite.home / "catalog/humscan.toml"
    path.write_text(path.read_text().replace("\n[offers]", f"{NEEDS}\n[offers]"))
    before = visible_state(study_suite.home)
    told = study_suite.ush("suite", "get", "humscan", "--form", "source", "--yes", code=4).err
    for missing in ("make >=99", "no-such-tool", "no_such_hum.h", "library nosuchhum", "the suite combscan"):
        assert missing in told, told
    assert visible_state(study_suite.home) == before


def _edit(old: str, new: str) -> Callable[[Account], None]:
    def change(account: Account) -> None:
        path = account.home / "catalog/humscan.toml"
        assert old in path.read_text()
        path.write_text(path.read_text().replace(old, new))

    return change


def _spoil_source(account: Account) -> None:
    """Let the build fail, in an archive whose hash is right."""
    folder = account.home / "catalog"
    text = (folder / "humscan.toml").read_text()
    (folder / "humscan.toml").write_text(text.replace('"make", "install", ', '"make", "no-such-target", '))


BAD = {
    "unknown key": (_edit("[trial]", "[tryal]"), (), "unknown key 'tryal'; did you mean trial?"),
    "a folder outside": (_edit('PATH = "bin"', 'PATH = "../../bin"'), (), "expected a place inside the tree"),
    "no variable's name": (_edit("{ HUMSCAN_SAMPLES", '{ "X;touch y"'), (), "expected a variable's name"),
    "no version for a variable PATH": (_edit("{ HUMSCAN_SAMPLES", "{ PATH"), (), "PATH"),
    "wrong hash": (_edit('sha256 = "', 'sha256 = "0000'), (), "64 hexadecimal digits"),
    "another hash": (lambda a: (a.home / "catalog/humscan-1.4.0.tar.gz").write_bytes(b"x"), (), "was promised"),
    "no archive": (lambda a: (a.home / "catalog/humscan-1.4.0.tar.gz").unlink(), (), "humscan-1.4.0.tar.gz"),
    "no such root": (_edit('build = [["make"', 'root = "hum"\nbuild = [["make"'), (), "has no folder hum"),
    "a build that fails": (_spoil_source, (), "no-such-target"),
    "a build that makes nothing": (_edit(', ["make", "install", "PREFIX={prefix}"]', ""), (), "put nothing"),
    "too little disk": (_edit("\n[offers]", '\n[needs]\ndisk = "900 TB"\n\n[offers]'), (), "free"),
    "by hand": (_edit('url = "humscan-1.4.0.tar.gz"', 'by-hand = "Ask the apiary"'), (), "Ask the apiary"),
    "a licence that asks": (
        _edit('spdx = "MIT"', 'spdx = "MIT"\nasks-acceptance = true\ntext = "Be kind to bees."'),
        (),
        "Be kind to bees.",
    ),
    "no such suite": (lambda _: None, ("combscan",), "no catalog describes combscan"),
    "no such version": (lambda _: None, ("humscan>=9",), "no catalog describes humscan>=9"),
    "no description": (lambda _: None, ("./nothing.toml",), "there is no description"),
}


@pytest.mark.parametrize("name", BAD)
def test_what_cannot_be_got_says_why_and_changes_nothing(study_suite: Account, name: str) -> None:
    spoil, words, says = BAD[name]
    spoil(study_suite)
    before = visible_state(study_suite.home)
    done = study_suite.ush("suite", "get", *(words or ("humscan",)), "--form", "source", "--yes", code=None)
    assert done.code in (2, 3, 4), done.out
    assert says in done.err, done.err
    assert visible_state(study_suite.home) == before


def test_an_archive_that_is_here_is_taken_and_another_refused(study_suite: Account) -> None:
    archive = study_suite.home / "fetched.tar.gz"
    shutil.move(study_suite.home / "catalog/humscan-1.4.0.tar.gz", archive)
    other = study_suite.write("other.tar.gz", "x")
    words = ("suite", "get", study_suite.home / "catalog/humscan.toml", "--form", "source")
    assert "is not the file that is described" in study_suite.ush(*words, "--archive", other, "--yes", code=4).err
    study_suite.ush(*words, "--archive", archive, "--yes")
    assert study_suite.session("humscan --version").out == "humscan 1.4.0\n"


TRIALS = {
    "numbers": (_edit("most = 0.05", "most = 0.001"), "expected at most 0.001"),
    "rows": (_edit("rows = 50", "rows = 51"), "has 50 rows, not 51"),
    "a command that fails": (_edit('"swarming.wav"', '"none.wav"'), "cannot be opened"),
    "a text": (_edit("rows = 50", 'says = "drone"'), "does not say 'drone'"),
    "a count": (_edit("rows = 50", 'counts = [{ pattern = "^310,", times = 2 }]'), "has 1 of '^310,', not 2"),
    "a number": (
        _edit("rows = 50", "numbers = [{ pattern = '^220,(.*)', value = 0.006, within = 1e-4 }]"),
        "expected 0.006, give or take 0.0001",
    ),
    "another file": (_edit("rows = 50", 'same-as = "calm.wav"'), "differs from calm.wav"),
    "no output": (_edit("rows = 50", "rows = 50\n[[trial.makes]]\nfile = 'wings.txt'"), "wings.txt was not made"),
    "too much disk": (
        _edit(
            "[[trial.run]]",
            """limit-disk = "1 MB"

[[trial.run]]
command = ["sh", "-c", "head -c 3000000 /dev/zero > big; sleep 20"]

[[trial.run]]""",
        ),
        "wrote more than 1.0 MB, and was ended",
    ),
    "one that hangs": (
        _edit("[[trial.run]]", '[[trial.run]]\ncommand = ["sleep", "30"]\n\n[[trial.run]]'),
        "did not end within 2 s",
    ),
}


@pytest.mark.parametrize("name", TRIALS)
def test_a_trial_that_is_wrong_says_what(study_suite: Account, name: str) -> None:
    spoil, says = TRIALS[name]
    _edit("limit-seconds = 60", "limit-seconds = 2")(study_suite)
    spoil(study_suite)
    study_suite.ush("suite", "get", "humscan", "--yes")
    assert says in study_suite.ush("suite", "try", "humscan", "--into", "t", code=1).out
    assert "is there already" in study_suite.ush("suite", "try", "humscan", "--into", "t", code=3).err


def test_what_a_suite_loses_is_found(study_suite: Account) -> None:
    study_suite.ush("suite", "get", "humscan", "--yes")
    program = next((study_suite.data / "suites").glob("*/bin/humscan"))
    program.write_bytes(program.read_bytes()[:3000])
    os.chmod(program, 0o755)
    assert "is cut short" in study_suite.ush("verify", "suite:humscan", code=1).out
    study_suite.ush("undo", "--yes", code=None)


def test_a_session_script_of_a_suite_is_sourced(study_suite: Account) -> None:
    archive = study_suite.home / "catalog/humscan-1.4.0.tar.gz"
    _edit("\nvariables = ", '\nsession-script = "share/humscan/samples/setup.sh"\nvariables = ')(study_suite)
    _edit(
        '["make", "install", "PREFIX={prefix}"]',
        '["make", "install", "PREFIX={prefix}"], ["sh", "-c", "echo export HUM_READY=1 > {prefix}/share/humscan/samples/setup.sh"]',
    )(study_suite)
    assert archive.exists()
    told = study_suite.ush("suite", "get", "humscan", "--form", "source", "--yes").out
    assert "session script: " in told
    assert study_suite.session("echo $HUM_READY").out == "1\n"
    study_suite.ush("verify")
    study_suite.ush("suite", "drop", "humscan", "--yes")
    assert study_suite.session("echo $HUM_READY").out == "\n"


def test_a_suite_for_everyone_is_theirs(study_suite: Account, tmp_path: Path) -> None:
    for place in (tmp_path, *tmp_path.parents):
        if place != Path("/") and not place.stat().st_mode & 0o001:
            place.chmod(place.stat().st_mode | 0o055)  # everyone's suite must stand where all can read
    study_suite.more["USH_ROOT"] = str(tmp_path / "root")
    study_suite.ush("suite", "get", "humscan", "--for", "everyone", "--yes")
    (found,) = study_suite.ush("suite", "list", "humscan", "--json").json()["items"]
    assert found["state"] == "here"
    refused = study_suite.ush("suite", "drop", "humscan", "--yes", code=3).err
    assert "is everyone's" in refused
    assert "--for everyone" in refused
    study_suite.ush("verify", "suite:humscan")
    told = study_suite.ush("suite", "drop", "humscan", "--for", "everyone", "--yes").out
    assert "HUMSCAN_SAMPLES" in told
    assert not study_suite.ush("suite", "show", "humscan", code=2).out


def test_an_archive_without_a_description_is_looked_into_and_described(study_suite: Account) -> None:
    account, folder = study_suite, study_suite.home / "catalog"
    (binary,) = folder.glob("humscan-1.4.0-linux-*.tar.gz")
    shutil.copy(binary, account.home / "hums.tar.gz")
    assert "--as NAME-1.0" in account.ush("suite", "get", "hums.tar.gz", "--yes", code=2).err
    for words, kind in (
        (("hums.tar.gz", "--as", "hums-2.0"), "binary"),
        ((folder / "humscan-1.4.0.tar.gz",), "source"),
    ):
        before = visible_state(account.home)
        told = account.ush("suite", "get", *words, "--yes").out
        assert f'+ kind = "{kind}"' in told
        assert account.session("humscan --version").out == "humscan 1.4.0\n"
        account.ush("verify")
        account.ush("undo", "--yes")
        gone = {name for name in visible_state(account.home).keys() ^ before.keys() if "descriptions" in name}
        assert not gone, "the description goes with the suite"
    account.ush("suite", "get", "hums.tar.gz", "--as", "hums-2.0", "--yes")
    described = account.home / ".config/unified-shell/descriptions/hums-2.0.toml"
    account.ush("suite", "drop", "hums", "--yes")
    account.ush("suite", "get", described, "--archive", "hums.tar.gz", "--yes")
    shutil.make_archive(str(account.home / "none-1.0"), "gztar", folder)
    assert "holds no program in bin" in account.ush("suite", "get", "none-1.0.tar.gz", "--yes", code=4).err


def test_a_suite_is_adopted_in_place_and_only_forgotten(study_suite: Account) -> None:
    account, place = study_suite, study_suite.home / "opt/combscan 2.1"
    account.tool("combscan", folder="opt/combscan 2.1/bin")
    before = digest_of_tree(str(place))
    assert "--as NAME-1.0" in account.ush("suite", "adopt", place, "--yes", code=2).err
    account.ush("suite", "adopt", place, "--as", "combscan-2.1", "--yes")
    assert account.session("combscan").out == "here\n"
    assert "is here already" in account.ush("suite", "adopt", place, "--as", "other-1", "--yes", code=3).err
    account.ush("verify")
    place.rename(account.home / "moved")
    found = account.ush("verify", "suite:combscan", "--json", code=1).json()["targets"][0]["findings"]
    assert [one["cause"] for one in found] == ["directory-absent"]
    (account.home / "moved").rename(place)
    account.ush("suite", "drop", "combscan", "--yes")
    assert account.session("combscan").code == 127
    account.ush("undo", "--yes")
    assert account.session("combscan").out == "here\n"
    assert digest_of_tree(str(place)) == before
    (account.home / "empty-1.0").mkdir()
    assert "no program in bin" in account.ush("suite", "adopt", account.home / "empty-1.0", "--yes", code=4).err
