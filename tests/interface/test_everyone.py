"""Wiring for everyone: system-wide files, in a scratch root, and in a mount namespace with the real shells."""

import os
import subprocess
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, USH, Account, visible_state
from support.digests import digest_of_tree
from support.hand_made import hand_made

SYSTEM_PYTHON = "/usr/bin/python3"
SESSIONS = (
    "bash -l -i -c",
    "bash -i -c",
    "sh -l -c",
    "zsh -i -c",
    "zsh -l -i -c",
    "fish -c",
    "fish -l -c",
    "ksh -i -c",
    "mksh -l -c",
    "tcsh -c",
)


@pytest.fixture
def root(account: Account, tmp_path: Path) -> Path:
    """A scratch root with the system's startup folders."""
    made = tmp_path / "root"
    for folder in ("etc/profile.d", "etc/zsh", "etc/fish/conf.d", "opt/hive"):
        (made / folder).mkdir(parents=True)
    (made / "etc/bash.bashrc").write_text("# the system's\n")
    account.more["USH_ROOT"] = str(made)
    return made


def test_everyones_files_are_written_and_undone(account: Account, root: Path) -> None:
    (root / "opt/hive/weigh-all").write_text("#!/bin/sh\necho all\n")
    (root / "opt/hive/weigh-all").chmod(0o755)
    for place in (root, *root.parents):
        if place != Path("/") and not place.stat().st_mode & 0o001:
            place.chmod(place.stat().st_mode | 0o055)
    before = digest_of_tree(str(root / "etc"))
    account.ush("path", "add", root / "opt/hive", "--for", "everyone", "--yes")
    account.ush("variable", "add", "HIVE_ROOT", "it's", "--for", "everyone", "--yes")
    line = f". {root}/etc/bash.bashrc; weigh-all; echo $HIVE_ROOT"
    assert account.run(["bash", "--norc", "-c", line]).out == "all\nit's\n"
    assert str(account.home) not in (root / "opt/unified-shell/data/wiring/session.sh").read_text()
    assert "--for everyone" in account.ush("journal", "--for", "everyone").out
    assert "No changes yet" in account.ush("journal").out, "mine is another journal"
    for _ in range(2):
        account.ush("undo", "--for", "everyone", "--yes")
    assert digest_of_tree(str(root / "etc")) == before


def test_what_is_not_for_everyone_is_refused(account: Account, root: Path) -> None:
    private = account.home / "private"
    private.mkdir()
    private.chmod(0o700)
    refused = account.ush("path", "add", private, "--for", "everyone", "--yes", code=3)
    assert "cannot be read by others" in refused.err
    private.chmod(0o777)
    refused = account.ush("path", "add", private, "--for", "everyone", "--yes", code=3)
    assert "can be written by others" in refused.err
    assert not (root / "etc/profile.d/unified-shell.sh").exists()


@pytest.mark.skipif(os.getuid() != 0, reason="makes a mount namespace")
def test_real_sessions_of_every_shell_have_it(account: Account, tmp_path: Path) -> None:
    etc, opt = tmp_path / "etc", tmp_path / "opt"
    if account.run(["unshare", "-m", "true"]).code:
        pytest.skip("no mount namespace here")
    account.run(["cp", "-a", "/etc", str(etc)])
    (opt / "hive").mkdir(parents=True)
    (opt / "hive/weigh-all").write_text("#!/bin/sh\necho all\n")
    (opt / "hive/weigh-all").chmod(0o755)
    before = digest_of_tree(str(etc))
    sessions = "\n".join(f"{words} weigh-all" for words in SESSIONS)
    script = account.write(
        "script",
        f"set -e\nmount --bind {etc} /etc\nmount --bind {opt} /opt\n"
        f"{USH} path add /opt/hive --for everyone --yes >&2\n{sessions}\n"
        f"{USH} shell unwire --for everyone --yes >&2\n{USH} undo --for everyone --yes >&2\n"
        f"bash -l -c weigh-all\n{USH} undo --for everyone --yes >&2\n",
    )
    done = account.run(["unshare", "-m", "sh", str(script)])
    assert done.code == 0, done.err
    assert done.out.splitlines() == ["all"] * (len(SESSIONS) + 1), done.err
    assert digest_of_tree(str(etc)) == before


EVERYONE = ("--for", "everyone", "--yes")


@pytest.fixture
def shared(account: Account, root: Path, study: Path) -> Path:
    """Everyone's environment with the study in it, made in a session that shuts others out."""
    if not os.path.exists(SYSTEM_PYTHON):
        pytest.skip("needs an interpreter that everyone can read")
    for place in root.parents:
        if place != Path("/") and not place.stat().st_mode & 0o001:
            place.chmod(place.stat().st_mode | 0o055)
    account.ush("index", "add", "apiary", study, "--yes")
    for words in (f"environment new shared --interpreter {SYSTEM_PYTHON}", "package get swarmcast -e shared"):
        done = account.run(["bash", "-c", f"umask 077; '{USH}' {words} {' '.join(EVERYONE)}"])
        assert "undo --for everyone" in done.out, done.err
    return root / "opt/unified-shell/data/environments/shared"


def test_an_environment_for_everyone_can_be_read_and_run_by_all(account: Account, shared: Path) -> None:
    for folder, _, files in os.walk(shared.parent.parent):
        for path in (Path(folder), *(Path(folder) / one for one in files)):
            mode = path.lstat().st_mode
            assert path.is_symlink() or (mode & 0o004 and not mode & 0o022), f"{path} is of mode {mode:o}"
    assert "everyone's" in account.ush("environment", "list").out
    assert "swarmcast" in account.ush("environment", "run", "shared", "--", "swarmcast", "--version").out
    account.ush("verify", "shared")
    if os.getuid() == 0:
        other = ["setpriv", "--reuid", "65534", "--regid", "65534", "--clear-groups", "env", "-C", "/"]
        assert account.run([*other, str(shared / "bin/swarmcast"), "--version"]).code == 0
    made = hand_made(account.home / "made", [])
    made.chmod(0o777)
    refused = account.ush("environment", "adopt", made, *EVERYONE, code=3)
    assert "can be written by others" in refused.err
    made.chmod(0o755)
    account.ush("environment", "adopt", made, *EVERYONE)
    assert "made, everyone's" in account.ush("environment", "list").out
    if not Path(BASE_PYTHON).resolve().parents[-2].stat().st_mode & 0o001:
        words = ("environment", "new", "x", "--interpreter", BASE_PYTHON)
        assert "cannot serve everyone" in account.ush(*words, *EVERYONE, code=3).err


def test_everyones_environment_is_changed_by_those_with_rights_and_copied_by_all(
    account: Account, shared: Path
) -> None:
    before = visible_state(account.home)
    for asked in (("package", "get", "combgraph", "-e"), ("environment", "protect"), ("environment", "drop")):
        refused = account.ush(*asked, "shared", "--yes", code=3)
        assert "--for everyone" in refused.err
    assert visible_state(account.home) == before
    account.ush("environment", "copy", "shared", "mine", "--yes")
    account.ush("package", "drop", "swarmcast", "-e", "mine", "--yes")
    first = next(shared.glob("lib/python*/site-packages/hivehum/__init__.py"))
    assert first.stat().st_nlink < 3, "in everyone's store, and in no other one's"
    mine = (account.data / "environments/mine").resolve()
    mine.chmod(0o777)
    assert (
        "ush does not run it with your rights"
        in account.ush("environment", "copy", "mine", "second", *EVERYONE, code=3).err
    )
    mine.chmod(0o755)
    account.ush("environment", "copy", "mine", "second", *EVERYONE)
    listed = account.ush("environment", "list", "--json").json()["items"]
    assert {one["name"] for one in listed} == {"mine", "shared", "second"}
    first.write_text("spoilt = 1\n")
    assert "shared" in account.ush("store", "show", "--for", "everyone", code=1).out
    account.ush("store", "mend", *EVERYONE)
    account.ush("store", "show", "--for", "everyone")
    told = shared / "environment.json"
    whole = told.read_text()
    told.write_text("broken")
    assert "mine" in account.ush("environment", "list").out, "theirs is not in the way of mine"
    told.write_text(whole)
    for _ in range(4):
        account.ush("undo", *EVERYONE)
    assert not shared.exists()


def test_indexes_and_commands_for_everyone(account: Account, root: Path, shared: Path, study: Path) -> None:
    account.ush("index", "add", "lab", study, *EVERYONE)
    account.ush("index", "add", "own", study, "--yes")
    rows = account.ush("index", "list", "--json").json()["items"]
    assert [(one["name"], one["scope"]) for one in rows] == [("lab", "everyone"), ("apiary", "me"), ("own", "me")]
    got = account.ush("command", "get", "swarmcast", "--interpreter", SYSTEM_PYTHON, *EVERYONE)
    assert "lab" in account.ush("index", "list").out
    assert "undo --for everyone" in got.out
    links = root / "opt/unified-shell/data/commands"
    assert subprocess.run([links / "swarmcast", "--version"], capture_output=True, check=True).stdout
    assert "in the commands preferred for everyone" in account.ush("look", "swarmcast", code=None).out
    mine = account.home / "own-tool"
    mine.write_text("#!/bin/sh\n")
    mine.chmod(0o777)
    refused = account.ush("command", "prefer", "own-tool", mine, *EVERYONE, code=3)
    assert "others" in refused.err
    account.ush("command", "prefer", "hum", shared / "bin/swarmcast", *EVERYONE, code=None)
    listed = account.ush("command", "list", "--json").json()["choices"]
    assert {(one["name"], one["scope"]) for one in listed} == {("swarmcast", "everyone"), ("hum", "everyone")}
    for words in (("command", "drop", "hum"), ("index", "drop", "lab")):
        told = account.ush(*words, "--yes", code=3).err
        assert f"Next: ush {' '.join(words)} --yes --for everyone" in told
    for name in ("hum", "swarmcast"):
        account.ush("command", "drop", name, *EVERYONE)
    account.ush("index", "drop", "lab", *EVERYONE)
    assert not list(links.iterdir())
