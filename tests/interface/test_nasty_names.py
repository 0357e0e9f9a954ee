"""The matrix: every dialect, every kind of session, mine, everyone's and an environment's, all nasty names at once."""

import json
import os
import subprocess
import sys
from functools import cache
from pathlib import Path

import pytest

from support.account import PATH, Account
from support.nasty import NASTY
from support.shells import words_of
from unified_shell.core.environments.entering import entered_session
from unified_shell.core.machine.host import read_host
from unified_shell.core.shells.dialects.dialect import SetVariable, Side
from unified_shell.core.shells.planning.variables import with_variable
from unified_shell.core.shells.wiring.enter_scripts import enter_scripts
from unified_shell.core.shells.wiring.wiring import Wiring

SHELLS = ("bash", "zsh", "fish", "sh", "ksh", "mksh", "tcsh")
MODES = ("interactive", "login")
# These read no file: sh at a prompt without ENV, and of everyone's files mksh has none of its own.
READ_NOTHING = {("me", "interactive sh"), ("everyone", "interactive sh"), ("everyone", "interactive mksh")}
TESTS = str(Path(__file__).parent.parent)
FRONT, BACK = NASTY[::2], NASTY[1::2]


@cache
def _sessions(scope: str, folder: Path) -> dict[str, dict[str, str]]:
    account = Account(folder / "home")
    account.home.mkdir()
    account.more["PYTHONPATH"] = TESTS
    if scope == "me":
        done = account.run([sys.executable, "-m", "support.wire_all", scope])
    else:
        script = f"set -e\ncp -a /etc {folder}/etc\nmkdir {folder}/opt\nmount --bind {folder}/etc /etc\n"
        script += f"mount --bind {folder}/opt /opt\nexec {sys.executable} -m support.wire_all {scope}\n"
        done = account.run(["unshare", "-m", "sh", "-c", script])
    assert done.code == 0, done.err
    assert not list(folder.rglob("executed")), "a name was executed"
    found: dict[str, dict[str, str]] = json.loads(done.out.splitlines()[-1])
    return found


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("matrix")


@pytest.mark.parametrize("scope", ["me", "everyone"])
@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("shell", SHELLS)
def test_a_new_session_has_each_name_once(scope: str, mode: str, shell: str, folder: Path) -> None:
    words_of(shell)
    if scope == "everyone" and (os.getuid() or subprocess.run(["unshare", "-m", "true"], check=False).returncode):
        pytest.skip("no mount namespace here")
    (folder / scope).mkdir(exist_ok=True)
    found = _sessions(scope, folder / scope)[f"{mode} {shell}"]
    assert not found["trouble"]
    entries = found["PATH"].split(":")
    if (scope, f"{mode} {shell}") in READ_NOTHING:
        assert "HIVE_0" not in found
        return
    assert entries[: len(FRONT)] == FRONT
    assert entries[-len(BACK) :] == BACK
    assert all(entries.count(one) == 1 for one in NASTY)
    assert [found[f"HIVE_{n}"] for n in range(len(NASTY))] == NASTY


@pytest.mark.parametrize("shell", SHELLS)
def test_an_entered_environment_has_each_name_once(shell: str, tmp_path: Path) -> None:
    (program,) = words_of(shell)
    wiring = Wiring()
    for name in reversed(FRONT):
        wiring = wiring.with_entry("PATH", name, Side.FRONT)
    for name in BACK:
        wiring = wiring.with_entry("PATH", name, Side.BACK)
    for number, name in enumerate(NASTY):
        wiring = with_variable(wiring, SetVariable(name=f"HIVE_{number}", value=name))
    prefix = tmp_path / 'it\'s $HOME `touch executed` "q"' / "hive"
    for name, text in enter_scripts("hive", str(prefix), str(tmp_path), wiring).items():
        (prefix / name).parent.mkdir(parents=True, exist_ok=True)
        (prefix / name).write_bytes(text.encode("utf-8", "surrogateescape"))
    base = {"HOME": str(tmp_path), "PATH": PATH, "LANG": "C.UTF-8", "TERM": "dumb", "SHELL": program}
    opening = entered_session(str(prefix), read_host(base))
    seen = [tmp_path / f"seen-{number}" for number in range(3)]
    nested = f"{program} -i -c '/bin/cp /proc/self/environ {seen[1]}'"
    given = f"/bin/cp /proc/self/environ {seen[0]}\n{nested}\nush_leave\n/bin/cp /proc/self/environ {seen[2]}\nexit\n"
    done = subprocess.run(
        [program, *opening.argv[1:]],
        env=dict(opening.variables),
        cwd=tmp_path,
        input=given.encode(),
        capture_output=True,
        timeout=60,
        check=False,
    )
    assert not list(tmp_path.rglob("executed")), "a name was executed"
    inside, below, after = (_variables(one, done) for one in seen)
    for found in (inside, below):
        assert found["PATH"].split(":") == [f"{prefix}/bin", *FRONT, *PATH.split(":"), *BACK], done.stderr
        assert [found[f"HIVE_{n}"] for n in range(len(NASTY))] == NASTY
    assert after["PATH"] == PATH
    assert "HIVE_0" not in after


def _variables(file: Path, done: subprocess.CompletedProcess[bytes]) -> dict[str, str]:
    assert file.exists(), done.stderr
    pairs = (one.split(b"=", 1) for one in file.read_bytes().split(b"\0") if b"=" in one)
    return {os.fsdecode(name): os.fsdecode(value) for name, value in pairs}
