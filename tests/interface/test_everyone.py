"""Wiring for everyone: system-wide files, in a scratch root, and in a mount namespace with the real shells."""

import os
from pathlib import Path

import pytest

from support.account import USH, Account
from support.digests import digest_of_tree

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
    assert "Nothing was changed yet" in account.ush("journal").out, "mine is another journal"
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
