"""The manual pages: written, found by `man` in new sessions, taken away; and the topics and causes of `ush help`."""

import shutil
import subprocess
from pathlib import Path

import pytest

from support.account import Account, visible_state
from unified_shell.cli.main import NOUNS
from unified_shell.cli.manual.topics import causes, topics
from unified_shell.core.findings import Cause


def test_the_manual_is_found_in_new_sessions_and_taken_away_again(account: Account) -> None:
    account.write(".bashrc", "# mine\n")
    before = visible_state(account.home)
    account.ush("shell", "wire", "bash", "zsh", "--manual", "--yes")
    assert "already there" in account.ush("shell", "wire", "bash", "--manual", "--yes").out
    pages = account.data / "manual/man1"
    assert {one.name for one in pages.iterdir()} == {"ush.1", *(f"ush-{noun}.1" for _, noun, *_ in NOUNS)}
    for shell in ("bash", "zsh"):
        # An empty entry stands for the system's own pages, which stay.
        assert account.session("echo $MANPATH", shell=shell).out.strip() == f":{account.data}/manual"
    if shutil.which("man"):
        assert account.session("man -w ush-path").out.strip() == str(pages / "ush-path.1")
        assert "ush path add [OPTIONS] DIRECTORY" in account.session("man ush-path").out
        assert account.session("man -w ls").code == 0
    account.ush("shell", "unwire", "bash", "--manual", "--yes")
    assert not list(pages.iterdir())
    assert not (account.data / "wiring/me.toml").exists()
    for _ in range(2):
        account.ush("undo", "--yes")
        account.ush("journal")
    after = visible_state(account.home)
    assert {name: one for name, one in after.items() if not name.startswith(".local")} == {
        name: one for name, one in before.items() if not name.startswith(".local")
    }


@pytest.mark.skipif(not shutil.which("groff"), reason="pages are set by groff")
def test_no_page_has_a_request_that_is_none(account: Account) -> None:
    account.ush("shell", "wire", "bash", "--manual", "--yes")
    for page in sorted((account.data / "manual/man1").iterdir()):
        done = subprocess.run(
            ["groff", "-man", "-ww", "-Tutf8", page], capture_output=True, text=True, check=False, cwd=Path("/")
        )
        assert not done.stderr, (page.name, done.stderr[:500])


def test_every_cause_of_a_fault_and_every_topic_is_explained(account: Account) -> None:
    assert set(causes()) == {one.value for one in Cause if one.value}
    for name, _ in topics():
        said = account.ush("help", name).out
        assert not [line for line in said.splitlines() if line.count("`") % 2], "what is typed stays on one line"
    said = account.ush("help", "not-on-path").out
    assert "ush path add DIRECTORY" in said
    assert account.ush("help", "environment").out == account.ush("help", "environments").out
    assert account.ush("help", "package", "get").out == account.ush("package", "get", "--help").out
    unknown = account.ush("help", "not-on-paht", code=2)
    assert "Did you mean not-on-path?" in unknown.err
