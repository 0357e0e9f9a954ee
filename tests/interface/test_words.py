"""Words that are off, rights that are missing, things that are broken: one to three lines, nothing changed."""

import contextlib
import json
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import click
import pytest

from support import suggestions
from support.account import USH, Account, visible_state
from support.wheels import rewrite, wheel
from unified_shell import __version__
from unified_shell.cli.main import ush as cli
from unified_shell.cli.parsing.abbreviations import CheckedCommand

CASES: dict[str, tuple[list[str], int, str]] = {
    "unknown noun": (["enviroment", "list"], 2, "Did you mean environment?"),
    "install": (["install", "swarmcast", "-e", "hive"], 2, "ush package get swarmcast -e hive"),
    "create": (["environment", "create", "my bees"], 2, "ush environment new 'my bees'"),
    "remove": (["package", "remove", "x", "-e", "hive"], 2, "ush package drop x -e hive"),
    "delete": (["index", "delete", "apiary"], 2, "ush index drop apiary"),
    "activate": (["activate", "hive"], 2, "ush environment enter hive"),
    "update": (["env", "update", "hive"], 2, "ush package refresh -e hive"),
    "version": (["version"], 2, "ush --version"),
    "two sides": (["path", "add", "tools", "--front", "--back"], 2, "--front and --back"),
    "a shell of elsewhere": (["shell", "wire", "cmd"], 2, "a shell of Windows"),
    "unlike option": (["package", "get", "x", "--evn", "hive"], 2, "no such option '--evn'\nNext"),
    "unknown verb": (["environment", "nwe", "x"], 2, "Did you mean new?"),
    "beginning not unique": (["p", "list"], 2, "ush package list   or   ush path list"),
    "unknown option": (["look", "--nope"], 2, "no such option"),
    "missing word": (["package", "get"], 2, "nothing is requested"),
    "unknown environment": (["environment", "show", "hvie"], 2, "Did you mean hive?"),
    "no such list": (
        ["package", "get", "--file", "none.txt", "-e", "hive"],
        4,
        "ush: none.txt cannot be read: no such file or directory\n",
    ),
    "an interpreter": (
        ["package", "get", "swarmcast", "-e", "/usr", "-y"],
        3,
        "ush installs nothing into an interpreter",
    ),
    "no requirement": (["package", "get", "swarm cast", "-e", "hive"], 2, "is not a requirement"),
    "no such project": (["package", "get", "no-such", "-e", "hive", "-y"], 4, "no index has no-such"),
    "no such version": (["package", "get", "swarmcast>9", "-e", "hive", "-y"], 4, "apiary has 1.2.0"),
    "conflict": (["package", "get", "swarmcast", "hivehum<2", "-e", "hive", "-y"], 4, "hivehum<2"),
    "name with a slash": (["environment", "new", "a/b", "-y"], 2, "cannot be an environment's name"),
    "name there already": (["environment", "new", "hive", "-y"], 3, "there is an environment named hive already"),
    "name with a colon": (["environment", "new", "a:b", "-y"], 2, "colon"),
    "no such interpreter": (["environment", "new", "x", "--interpreter", "9.9", "-y"], 2, "no interpreter here"),
    "no such file": (["interpreter", "adopt", "nowhere/python", "-y"], 2, "there is no"),
    "no directory": (["path", "add", "nowhere", "-y"], 2, "there is no directory"),
    "near directory": (["path", "add", "tols", "-y"], 2, "did you mean ~/tools?"),
    "a file": (["path", "add", "tools/weigh-hive", "-y"], 2, "is not a directory"),
    "a colon": (["path", "add", "a:b", "-y"], 3, "a colon separates"),
    "no index address": (["index", "add", "x", "nowhere", "-y"], 2, "neither an HTTP address nor a folder"),
    "index name": (["index", "add", "a b", "http://127.0.0.1/", "-y"], 2, "cannot be an index's name"),
    "index there": (["index", "add", "apiary", "http://127.0.0.1/", "-y"], 3, "with another address"),
    "unknown index": (["index", "drop", "apiery", "-y"], 2, "Did you mean apiary?"),
    "unknown shell": (["shell", "wire", "bahs", "-y"], 2, "Did you mean bash?"),
    "no consent": (["environment", "new", "x"], 3, "no terminal to ask at"),
    "no such change": (["undo", "99", "-y"], 2, "there is no change 99"),
    "no such place": (["look", "./nowhere"], 2, "there is no './nowhere'"),
    "no command": (["environment", "run", "hive", "--", "pyhton"], 2, "did you mean python"),
}


@pytest.fixture(scope="module")
def ready(tmp_path_factory: pytest.TempPathFactory, study: Path) -> Account:
    """One account for all cases: none of them changes it."""
    home = tmp_path_factory.mktemp("words") / "home"
    home.mkdir()
    account = Account(home)
    account.ush("index", "add", "apiary", study, "--yes")
    account.new_environment()
    account.tool("weigh-hive")
    (home / "a:b").mkdir()
    return account


@pytest.mark.parametrize(("words", "code", "said"), CASES.values(), ids=CASES.keys())
def test_words_that_are_off(ready: Account, words: list[str], code: int, said: str) -> None:
    before = visible_state(ready.home)
    done = ready.ush(*words, code=code)
    assert said in done.err
    assert 1 <= done.err.strip().count("\n") + 1 <= 3, done.err
    assert "Next: " in done.err or "did you mean" in done.err.lower(), "the next thing to type"
    assert visible_state(ready.home) == before


def test_version_and_beginnings(ready: Account) -> None:
    assert ready.ush("--version").out == f"ush {__version__}\n"
    assert ready.ush("env", "l").out == ready.ush("environment", "list").out
    assert "Next: ush package get REQUIREMENT -e hive" in ready.ush().out


def test_without_a_name_the_environment_is_the_entered_the_outfit_s_or_the_only_one(apiary: Account) -> None:
    plan = apiary.ush("package", "get", "swarmcast", "--plan").out
    assert "in the environment hive" in plan
    assert "the only one there is" in plan
    apiary.ush("package", "get", "swarmcast", "--yes")
    assert apiary.ush("package", "why", "waggle-io").err == "In the environment hive, the only one there is:\n"
    assert apiary.ush("environment", "show").out.startswith("Environment hive")
    done = apiary.ush("environment", "run", "--", "sh", "-c", 'echo "$0 $USH_ENVIRONMENT"', "--", code=0)
    assert done.out == f"-- {apiary.environment()}\n"
    assert not done.err
    apiary.ush("environment", "new", "field", "--yes")
    for words in (
        ["package", "get", "swarmcast"],
        ["package", "list"],
        ["environment", "show"],
        ["environment", "run", "--", "true"],
    ):
        assert "no environment is named or entered" in apiary.ush(*words, code=2).err
    entered = {"USH_ENVIRONMENT": str(apiary.environment())}
    assert "swarmcast" in apiary.ush("package", "list", more=entered).out
    apiary.write("outfit.toml", "[outfit]\nname = 'x'\n[environment.field]\n[environment.gone]\n")
    assert "named in ~/outfit.toml" in apiary.ush("package", "get", "combgraph", "--plan").out
    assert "swarmcast" in apiary.ush("package", "list", more=entered).out, "the entered one comes first"
    apiary.write("outfit.toml", "[environment.field]\n[environment.hive]\n")
    apiary.ush("package", "list", code=2)
    apiary.write("outfit.toml", "broken [")
    apiary.ush("package", "list", code=2)


def test_a_reader_that_goes_away_is_no_fault_to_tell(ready: Account) -> None:
    done = ready.run(["bash", "-c", f"{USH} environment show hive | head -1"])
    assert (done.out, done.err) == ("Environment hive\n", "")


def test_a_plan_alone_changes_nothing_and_is_data(ready: Account) -> None:
    before = visible_state(ready.home)
    plan = ready.ush("package", "get", "swarmcast", "-e", "hive", "--plan", "--json").json()
    assert plan["kind"] == "plan"
    assert plan["words"] == "package get swarmcast -e hive"
    added = [line["fields"] for line in plan["lines"] if line["kind"] == "add" and line["about"] == "package"]
    assert {(one["name"], one["version"]) for one in added} == {
        ("combgraph", "1.0.2"),
        ("hivehum", "2.1.0"),
        ("swarmcast", "1.2.0"),
        ("waggle-io", "0.9.1"),
    }
    ready.ush("path", "add", "tools", "--plan")
    assert visible_state(ready.home) == before


def _wrong_hash(wheels: Path) -> None:
    """A page that promises another hash."""
    path = wheel(wheels, "broken")
    folder = wheels / "broken"
    folder.mkdir()
    shutil.move(path, folder / path.name)
    (folder / "index.html").write_text(f'<a href="{path.name}#sha256={"0" * 64}">{path.name}</a>')


def _no_hash(wheels: Path) -> None:
    _wrong_hash(wheels)
    page = wheels / "broken/index.html"
    page.write_text(page.read_text().split("#")[0] + '">x</a>')


def _cut(wheels: Path) -> None:
    path = wheel(wheels, "broken")
    path.write_bytes(path.read_bytes()[:-40])


def _wrong_record(wheels: Path) -> None:
    rewrite(wheel(wheels, "broken"), {"broken.py": b"other = 1\n"}, record=False)


def _unlisted(wheels: Path) -> None:
    rewrite(wheel(wheels, "broken"), {"stowaway.py": b"x = 1\n"}, record=False)


def _escaping(wheels: Path) -> None:
    rewrite(wheel(wheels, "broken"), {"../../outside.py": b"x = 1\n"})


def _escaping_command(wheels: Path) -> None:
    wheel(wheels, "broken", commands=["../outside = broken:version"])


def _over_python(wheels: Path) -> None:
    wheel(wheels, "broken", files={"broken-1.0.data/data/bin/python": b"#!/bin/sh\n"})


def _no_wheel_fits(wheels: Path) -> None:
    wheel(wheels, "broken", tag="cp27-cp27m-win32")


def _other_python(wheels: Path) -> None:
    wheel(wheels, "broken", requires_python=">=9")


BROKEN: dict[str, tuple[Callable[[Path], None], str]] = {
    "wrong hash": (_wrong_hash, "is not what was promised"),
    "no hash": (_no_hash, "gives no SHA-256"),
    "cut": (_cut, "damaged"),
    "wrong record": (_wrong_record, "differs from its RECORD"),
    "not in the record": (_unlisted, "no hash for 'stowaway.py'"),
    "escaping": (_escaping, "'..'"),
    "escaping command": (_escaping_command, "cannot be a file's name"),
    "over the interpreter": (_over_python, "both provide the file bin/python"),
    "no wheel fits": (_no_wheel_fits, "no wheel is compatible"),
    "another Python": (_other_python, "it needs Python >=9"),
}


@pytest.mark.parametrize(("make", "said"), BROKEN.values(), ids=BROKEN.keys())
def test_broken_wheels_change_nothing(
    ready: Account, tmp_path: Path, make: Callable[[Path], None], said: str
) -> None:
    wheels = tmp_path / "wheels"
    wheels.mkdir()
    make(wheels)
    ready.ush("index", "add", "bad", wheels, "--yes")
    try:
        before = visible_state(ready.home)
        done = ready.ush("package", "get", "broken", "-e", "hive", "--yes", code=4)
        assert said in done.err
        assert done.err.strip().count("\n") + 1 <= 3
        assert visible_state(ready.home) == before
        assert not list((ready.data / "staging").glob("*")), "nothing is left in staging"
        assert not list(tmp_path.rglob("outside*"))
    finally:
        ready.ush("index", "drop", "bad", "--yes")


@pytest.mark.skipif(os.getuid() != 0, reason="mounts a small file system")
def test_a_full_or_read_only_disk_changes_nothing(account: Account, study: Path, tmp_path: Path) -> None:
    small = tmp_path / "small"
    small.mkdir()
    mounted = account.run(["mount", "-t", "tmpfs", "-o", "size=300k", "tmpfs", str(small)])
    if mounted.code:
        pytest.skip("no mount here")
    try:
        full = {"USH_HOME": str(small)}
        account.ush("index", "add", "apiary", study, "--yes", more=full)
        account.ush("environment", "new", "hive", "--yes", more=full)
        account.run(["dd", "if=/dev/zero", f"of={small}/fill", "bs=1k"])
        done = account.ush("package", "get", "swarmcast", "-e", "hive", "--yes", more=full, code=4)
        assert "space" in done.err or "free are" in done.err or "full" in done.err
        (small / "fill").unlink()
        listed = account.ush("package", "list", "-e", "hive", "--json", more=full).json()
        assert listed["items"] == []
        account.ush("package", "get", "combgraph", "-e", "hive", "--yes", more=full)
        assert account.run(["mount", "-o", "remount,ro", str(small)]).code == 0
        for words in (["package", "get", "swarmcast", "-e", "hive"], ["index", "drop", "apiary"]):
            done = account.ush(*words, "--yes", more=full, code=4)
            assert "read-only" in done.err or "readonly" in done.err
            assert "Next: ush look" in done.err
        assert "combgraph" in account.ush("package", "list", "-e", "hive", more=full).out, "reading goes on"
    finally:
        account.run(["umount", "-l", str(small)])


def test_startup_files_that_cannot_take_the_block(account: Account) -> None:
    account.tool("weigh-hive")
    account.write(".bashrc", "PROMPT=one \\")
    done = account.ush("path", "add", "tools", "--yes", code=3)
    assert "ends in a backslash" in done.err
    account.home.joinpath(".bashrc").unlink()
    account.home.joinpath(".bashrc").mkdir()
    done = account.ush("path", "add", "tools", "--yes", code=4)
    assert "~/.bashrc cannot be read: is a directory" in done.err
    account.home.joinpath(".bashrc").rmdir()
    account.write(".bashrc", "#(ush) reads the search paths\nif true; then\n")
    done = account.ush("path", "add", "tools", "--yes", code=3)
    assert "half removed" in done.err
    assert not (account.data / "wiring").exists()


def test_an_interpreter_that_went_away_is_named(account: Account, study: Path) -> None:
    account.ush("index", "add", "apiary", study, "--yes")
    prefix = account.new_environment()
    contents = prefix / "environment.json"
    contents.write_text(contents.read_text().replace('"interpreter":"/', '"interpreter":"/gone/'))
    done = account.ush("package", "get", "combgraph", "-e", "hive", "--yes", code=4)
    assert "the interpreter of the environment hive does not start" in done.err
    findings = account.ush("verify", "hive", "--json", code=1).json()["targets"][0]["findings"]
    assert any("does not start" in one["answer"] for one in findings)


def test_a_noun_alone_shows_its_verbs_and_a_program_is_answered_in_json(apiary: Account) -> None:
    shown = apiary.ush("env")
    assert "rename" in shown.out
    assert not shown.err
    refused = json.loads(apiary.ush("environment", "new", "bees", "--json", code=3).err)
    assert (refused["kind"], refused["exit_code"]) == ("error", 3)
    done = apiary.ush(*refused["next_step"].removeprefix("ush ").split()).json()
    assert (done["kind"], done["words"], done["findings"][0]["verdict"]) == (
        "outcome",
        "environment new bees",
        "passed",
    )
    again = json.loads(apiary.ush("environment", "new", "bees", "--json", "--yes", code=3).err)
    assert "already" in again["error"]
    assert apiary.ush("look", ".", "--json").json()["kind"] == "place"


@pytest.mark.parametrize(
    ("said", "trouble"),
    [
        ("Next: ush package get REQUIREMENT -e hive", ""),
        ("Next: ush environment copy a NEW   or   ush environment unprotect a --for everyone", ""),
        ("    type: ush environment run hive -- python -c 'import waggle'   (to see why)", ""),
        ("Next: ush pakage get waggle", "there is no 'pakage'"),
        ("Next: ush package fetch waggle", "there is no 'fetch'"),
        ("Next: ush package get waggle --into hive", "No such option"),
        ("Next: ush look   or   ush environment copy hive", "Missing argument"),
    ],
)
def test_what_is_suggested_is_tried_against_the_command_line(said: str, trouble: str) -> None:
    """The account of every test does this with all that is printed; here a wrong suggestion is seen to be found."""
    with pytest.raises(AssertionError, match=trouble) if trouble else contextlib.nullcontext():
        suggestions.check(said)


def test_every_verb_keeps_what_was_typed() -> None:
    """A verb that does not would be an empty line in the journal."""

    def verbs(group: click.Group, context: click.Context) -> Iterator[tuple[str, click.Command]]:
        for name in group.list_commands(context):
            command = group.get_command(context, name)
            assert command is not None
            if isinstance(command, click.Group):
                yield from verbs(command, click.Context(command, info_name=name, parent=context))
            else:
                yield f"{context.info_name} {name}", command

    loose = [
        name for name, one in verbs(cli, click.Context(cli, info_name="ush")) if not isinstance(one, CheckedCommand)
    ]
    assert loose == []
