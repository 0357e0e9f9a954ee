"""A person at a terminal, and two of them at once."""

import os
import signal
import subprocess
import time
from pathlib import Path

from support.account import BASE_PYTHON, USH, Account, visible_state
from support.shells import words_of
from support.terminal import Terminal
from support.wheels import wheel


def test_a_plan_is_asked_about(account: Account) -> None:
    words = [USH, "environment", "new", "hive", "--interpreter", BASE_PYTHON]
    with Terminal(words, account.variables, account.home) as terminal:
        terminal.wait_for("Go ahead?")
        assert "environment hive" in terminal.shown
        assert "\x1b[32madd" in terminal.shown, "what comes is set off by colour"
        terminal.type("n")
        terminal.wait_for("Nothing was changed.")
        assert terminal.ended() == 3
    assert not account.environment().exists()
    with Terminal(words, account.variables, account.home) as terminal:
        terminal.wait_for("Go ahead?")
        terminal.type("y")
        terminal.wait_for("Done, as change 1")
        assert terminal.ended() == 0
    assert account.environment().exists()


def test_an_environment_is_entered_after_the_startup_files_and_left(apiary: Account) -> None:
    apiary.ush("package", "get", "swarmcast", "-e", "hive", "--yes")
    reset = "PATH=/usr/bin:/bin; export PATH; PS1='prompt> '\n"
    for name in (".bashrc", ".zshrc", ".kshrc", ".mkshrc"):
        apiary.write(name, reset)
    apiary.write(".cshrc", "setenv PATH /usr/bin:/bin\nset prompt = 'prompt> '\n")
    for shell in ("bash", "sh", "zsh", "ksh", "mksh", "tcsh"):
        (program,) = words_of(shell)
        variables = {**apiary.variables, "SHELL": program, "PS1": "prompt> "}
        with Terminal([USH, "environment", "enter", "hive"], variables, apiary.home) as terminal:
            terminal.wait_for("[hive]")
            terminal.type("which swarmcast; which python")
            terminal.wait_for(f"{apiary.environment()}/bin/python")
            assert f"{apiary.environment()}/bin/swarmcast" in terminal.shown
            terminal.type("ush_leave; echo left:`printenv PATH`:`printenv USH_ENVIRONMENT`:$HOME")
            terminal.wait_for(f"left:/usr/bin:/bin::{apiary.home}")
            terminal.type("exit 7")
            assert terminal.ended() == 7


def test_an_interrupt_changes_nothing(apiary: Account, tmp_path: Path) -> None:
    slow = wheel(tmp_path / "more", "slow", files={"slow.py": b"import time\ntime.sleep(60)\n"})
    apiary.ush("index", "add", "more", slow.parent, "--yes")
    before = visible_state(apiary.home)
    words = [USH, "package", "get", "slow", "-e", "hive", "--yes"]
    with Terminal(words, apiary.variables, apiary.home) as terminal:
        end = time.monotonic() + 20
        while not os.readlink(apiary.environment()).endswith("/2"):
            assert time.monotonic() < end
            time.sleep(0.02)
        terminal.send(b"\x03")
        terminal.wait_for("interrupted; nothing was changed")
        assert terminal.ended() == 130
    assert visible_state(apiary.home) == before


def test_two_at_once_both_succeed(apiary: Account) -> None:
    apiary.tool("one", folder="a")
    apiary.tool("two", folder="b")
    calls = (
        ["package", "get", "swarmcast", "-e", "hive"],
        ["package", "get", "combgraph", "-e", "hive"],
        ["path", "add", "a"],
        ["path", "add", "b"],
    )
    running = [
        subprocess.Popen(
            [USH, *words, "--yes"],
            env=apiary.variables,
            cwd=apiary.home,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
        )
        for words in calls
    ]
    said = [process.communicate(timeout=120)[0].decode() for process in running]
    assert [process.returncode for process in running] == [0] * 4, "\n".join(said)
    listed = apiary.ush("package", "list", "-e", "hive", "--json").json()["items"]
    requested = {one["name"] for one in listed if one["requested"]}
    assert requested == {"swarmcast", "combgraph"}, "the second saw what the first did"
    for name in ("one", "two"):
        assert apiary.session(name).out == "here\n"
    assert apiary.home.joinpath(".bashrc").read_text().count("#(ush) end") == 1


def test_a_second_waits_and_says_for_whom(apiary: Account, tmp_path: Path) -> None:
    slow = wheel(tmp_path / "more", "slow", files={"slow.py": b"import time\ntime.sleep(4)\n"})
    apiary.ush("index", "add", "more", slow.parent, "--yes")
    first = subprocess.Popen(
        [USH, "package", "get", "slow", "-e", "hive", "--yes"],
        env=apiary.variables,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    end = time.monotonic() + 20
    while not (apiary.data / "locks/me.holder").exists() and time.monotonic() < end:
        time.sleep(0.02)
    second = apiary.ush("index", "drop", "more", "--yes")
    assert "waiting for: package get slow -e hive (process" in second.err
    assert first.wait(60) == 0
    # Readers never wait.
    holder = subprocess.Popen([USH, "environment", "new", "other", "--yes"], env=apiary.variables, stdout=-3)
    began = time.monotonic()
    apiary.ush("environment", "list")
    assert time.monotonic() - began < 10
    holder.send_signal(signal.SIGCONT)
    assert holder.wait(60) == 0
