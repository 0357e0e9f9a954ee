"""What several requirements for one project come to, and files that are not as recorded: edited, gone, or brought twice."""

import os
import shlex
from pathlib import Path

import pytest

from support.account import Account, visible_state
from support.server import loopback
from support.sources import source
from support.wheels import wheel


@pytest.fixture
def field(account: Account, tmp_path: Path) -> Path:
    """An index of a folder, and environments `hive` and `other`."""
    folder = tmp_path / "an index"
    folder.mkdir()
    account.ush("index", "add", "field", folder, "--yes")
    account.new_environment()
    account.new_environment("other")
    return folder


def versions(account: Account, name: str = "hive") -> dict[str, str]:
    return {
        one["name"]: one["version"] for one in account.ush("package", "list", "-e", name, "--json").json()["items"]
    }


def site(account: Account, name: str = "hive") -> Path:
    return next((account.environment(name) / "lib").glob("python*/site-packages"))


@pytest.mark.parametrize(
    ("asked", "code", "comes", "said"),
    [
        (
            ['combs>=2; python_version>="3.8"', 'combs<2; python_version<"3.8"'],
            0,
            {"combs": "3.0"},
            "excluded by its marker for",
        ),
        (
            ['combs<2; python_version<"3.8"', 'combs<3; python_version>="3.8"'],
            0,
            {"combs": "2.0"},
            "excluded by its marker for",
        ),
        (["combs<2", "combs>2"], 4, {}, "you requested combs<2 and you requested combs>2"),
        (["nectar[deep]", "nectar"], 0, {"nectar": "1.0", "combs": "1.0"}, ""),
        (["nectar", "nectar[deep]", "nectar<2"], 0, {"nectar": "1.0", "combs": "1.0"}, ""),
        (["nectar[deap]"], 0, {"nectar": "2.0"}, "nectar 2.0 has no extra deap; it has deep"),
        (['combs; python_version<"3"'], 0, {}, "excluded by its marker for this interpreter"),
    ],
)
def test_all_that_is_asked_of_one_project_in_one_call_holds(
    account: Account, field: Path, asked: list[str], code: int, comes: dict[str, str], said: str
) -> None:
    for version in ("1.0", "2.0", "3.0"):
        wheel(field, "combs", version)
    wheel(field, "nectar", "1.0", extras=["deep"], requires=['combs<2; extra == "deep"'])
    wheel(field, "nectar", "2.0", extras=["deep"], requires=['combs<2; extra == "deep"'])
    if "nectar[deep]" in asked and "nectar<2" not in asked:
        comes = {**comes, "nectar": "2.0"}
    done = account.ush("package", "get", *asked, "-e", "hive", "--yes", code=code)
    assert said in done.out + done.err
    assert versions(account) == comes
    if len(asked) < 2 or code:
        return
    in_a_file = account.write("asked.txt", "\n".join(asked))
    account.ush("package", "get", "--file", in_a_file, "-e", "other", "--yes", code=code)
    assert versions(account, "other") == comes
    if comes:
        account.ush("package", "refresh", "-e", "hive", "--yes")
        assert versions(account) == comes, "what was said holds from then on"


def test_a_file_that_was_edited_or_lost_is_found_and_put_back_in_all_that_share_it(
    account: Account, field: Path
) -> None:
    wheel(field, "combs", files={"combs/__init__.py": b"cells = 6\n", "combs/table.csv": b"a,b\n1,2\n"})
    wheel(field, "nectar")
    for name in ("hive", "other"):
        account.ush("package", "get", "combs", "-e", name, "--yes")
        account.ush("verify", name)
    module, table = site(account) / "combs/__init__.py", site(account) / "combs/table.csv"
    assert module.stat().st_mode & 0o222 == 0, "an editor that writes in place is refused"

    table.unlink()
    assert "gone: " in account.ush("verify", "hive", code=1).out
    assert "gone: " in account.ush("package", "get", "combs", "-e", "hive", "--plan").out
    account.ush("verify", "hive", "--mend", "--yes")
    assert table.read_bytes() == b"a,b\n1,2\n"

    with module.open("r+b") as opened:  # as root, or after chmod: the store's file and everybody's
        opened.write(b"cells = 7\n")
    for name in ("hive", "other"):
        assert "edited: " in account.ush("verify", name, code=1).out
    plan = account.ush("package", "get", "nectar", "-e", "hive", "--plan").out
    assert "edited: " in plan
    assert "environment other" in plan
    account.ush("package", "get", "nectar", "-e", "hive", "--yes")
    for name in ("hive", "other"):
        assert (site(account, name) / "combs/__init__.py").read_bytes() == b"cells = 6\n"
    account.ush("verify", "hive", "other")

    own = table.with_name("own")
    own.write_bytes(b"a,b\n1,3\n")
    own.replace(table)
    assert "edited: " in account.ush("package", "drop", "nectar", "-e", "hive", "--plan").out
    account.ush("package", "drop", "nectar", "-e", "hive", "--yes")
    account.ush("verify", "hive")
    account.ush("undo", "--yes", code=None)
    assert table.read_bytes() == b"a,b\n1,3\n", "the edit is kept for undo"

    times = module.stat()
    with module.open("r+b") as opened:
        opened.write(b"cells = 8\n")
    os.utime(module, ns=(times.st_atime_ns, times.st_mtime_ns))
    assert "edited: " in account.ush("verify", "hive", "--thorough", code=1).out
    account.ush("verify", "hive", "--thorough", "--mend", "--yes")
    account.ush("verify", "hive", "other", "--thorough")


def test_two_may_bring_the_same_file_and_a_different_one_is_told_before_anything_is_fetched(
    account: Account, field: Path
) -> None:
    shared = {"bees/__init__.py": b"def x(): pass\n"}
    wheel(field, "drone", files={**shared, "bees/drone.py": b"x = 1\n"}, commands=["buzz = bees:x"])
    wheel(field, "queen", files={**shared, "bees/queen.py": b"x = 2\n"}, commands=["buzz = bees:x"])
    wheel(field, "wasp", files={"bees/__init__.py": b"def x(): return 1\n", "bees/wasp.py": b"x = 3\n"})
    account.ush("package", "get", "drone", "queen", "-e", "hive", "--yes")
    account.ush("verify", "hive")
    refused = account.ush("package", "get", "wasp", "-e", "hive", "--plan", code=3).err
    assert "bees/__init__.py, with different contents" in refused
    assert len(list((account.data / "store/wheels").iterdir())) == 2, "nothing of it was unpacked"
    words = [*next_words(refused)[:-1], "wasp"]
    words.remove("--plan")
    assert "the files of wasp are used" in account.ush(*words, "--yes").out
    for _ in range(2):
        assert (site(account) / "bees/__init__.py").read_bytes() == b"def x(): return 1\n"
        account.ush("verify", "hive")
        wheel(field, "later")
        account.ush("package", "get", "later", "-e", "hive", "--yes")
    account.ush("package", "drop", "wasp", "drone", "-e", "hive", "--yes")
    assert (site(account) / "bees/__init__.py").read_bytes() == shared["bees/__init__.py"]
    assert not (site(account) / "bees/drone.py").exists()
    assert (account.environment() / "bin/buzz").exists(), "it is the other one's too"
    assert not account.ush("environment", "list", "--json").json()["items"][0]["contents"]["overlap"]
    account.ush("verify", "hive")


def next_words(error: str) -> list[str]:
    """Return the words of the call that an error suggests, as a shell reads them."""
    step = next(line for line in error.splitlines() if line.startswith("Next: ush "))
    return shlex.split(step.removeprefix("Next: ush ").split("   ")[0])


def test_what_is_suggested_can_be_typed_and_means_the_environment_of_the_call(account: Account, field: Path) -> None:
    wheel(field, "comb-cells")
    wheel(field, "hive-map", requires=["comb-cells"])
    source(field, "mite-count")
    account.ush("package", "get", "hive-map", "-e", "hive", "--yes")
    account.ush("package", "get", "hive-map", "-e", "other", "--yes")
    entered = {"USH_ENVIRONMENT": "other"}
    before = visible_state(account.home)
    refused = account.ush("package", "drop", "comb-cells", "-e", "hive", code=3, more=entered).err
    account.ush(*next_words(refused), "--yes", more=entered)
    assert versions(account) == {}
    assert versions(account, "other") == {"comb-cells": "1.0", "hive-map": "1.0"}
    account.ush("undo", "--yes")
    assert visible_state(account.home) == before
    for words in (
        ["package", "drop", "nothing", "-e", "hive"],
        ["package", "why", "nothing", "-e", "hive"],
        ["package", "refresh", "nothing", "-e", "hive"],
    ):
        said = account.ush(*words, code=2, more=entered).err
        assert "hive-map" in account.ush(*next_words(said), more=entered).out
        assert "-e hive" in said
    again = account.ush("package", "get", "mite-count>=1", "-e", "hive", "--yes", code=4, more=entered).err
    account.ush(*next_words(again), more=entered)
    assert "mite-count" in versions(account)
    asked = account.ush("package", "get", "hive-map", "--offline", "-e", "hive", "--plan", more=entered)
    assert "already" in asked.out
    unasked = account.ush("package", "drop", "hive-map", "-e", "hive", code=3, more=entered).err
    account.ush(*next_words(unasked), more=entered)
    assert "hive-map" in versions(account, "other")
    assert "hive-map" not in versions(account)


def test_indexes_are_asked_in_the_order_that_is_said_and_one_that_fails_is_passed_over_only_when_asked(
    account: Account, field: Path, tmp_path: Path
) -> None:
    wheel(field, "combs", "1.0")
    own = tmp_path / "own"
    wheel(own, "combs", "2.0")
    account.ush("index", "add", "own", own, "--yes")
    account.ush("index", "add", "dead", "http://127.0.0.1:9/simple/", "--first", "--yes", code=1)

    def order() -> list[str]:
        return [one["name"] for one in account.ush("index", "list", "--json").json()["items"]]

    assert order() == ["dead", "field", "own"]
    failed = account.ush("package", "get", "combs", "-e", "hive", "--yes", code=4).err
    assert "the index dead" in failed
    account.ush(*next_words(failed))
    assert versions(account) == {"combs": "1.0"}
    account.ush("index", "add", "own", "--before", "field", "--yes")
    assert order() == ["dead", "own", "field"]
    account.ush("package", "get", "combs", "-e", "other", "--without-index", "dead", "--yes")
    assert versions(account, "other") == {"combs": "2.0"}
    account.ush("undo", "--yes")
    account.ush("undo", "--yes")
    assert order() == ["dead", "field", "own"]
    with loopback() as served:
        served.pages["/simple/"] = ("text/html", b"<a href='x/'>x</a>")
        wrong = account.ush("index", "add", "wrong", served.address, "--yes", code=1).out
        assert "has nothing there (404)" in wrong
        assert f"an index at {served.address}/simple/" in wrong


def test_stray_folders_of_a_wheel_are_no_fault_and_broken_modules_are(account: Account, field: Path) -> None:
    wheel(field, "combs", files={"combs/__init__.py": b"", "docs/conf.py": b"import nothing_of_that_name\n"})
    wheel(field, "nectar", files={"nectar/__init__.py": b"", "sugar.py": b"raise RuntimeError('no sugar')\n"})
    account.ush("package", "get", "combs", "-e", "hive", "--yes")
    assert "stray folder" in account.ush("verify", "hive").out
    assert "no sugar" in account.ush("package", "get", "nectar", "-e", "hive", "--yes", code=1).out


@pytest.mark.parametrize("kind", ["index", "catalog"])
@pytest.mark.parametrize("name", ["a", "b", "c"])
def test_undo_puts_what_is_asked_in_order_back_where_it_was(account: Account, kind: str, name: str) -> None:
    for one in "abc":
        (account.home / one).mkdir()
        account.write(f"{one}/catalog.toml", "")
        account.ush(kind, "add", one, account.home / one, "--yes")
    config = account.home / ".config/unified-shell/config.toml"
    before = config.read_bytes()
    account.ush(kind, "drop", name, "--yes")
    account.ush("undo", "--yes")
    assert config.read_bytes() == before
