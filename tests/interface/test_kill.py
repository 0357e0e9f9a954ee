"""The kill harness: every changing command under SIGKILL, before and after each step and file that it writes.

`USH_KILL_EVERY=1 pytest tests/interface/test_kill.py -s` tries every point and prints the figures; without
it, the first and last points around steps of each command are tried, and of all others every so many-th.
"""

import json
import os
import shutil
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path

import pytest

from support import kill_driver
from support.account import BASE_PYTHON, Account, visible_state
from support.hand_made import hand_made
from support.interpreters import archive_of, catalog_of, script_tree
from support.restoring import restore
from unified_shell.demo.sample_suite import make_humscan_catalog

EVERY = int(os.environ.get("USH_KILL_EVERY", "401"))
SETTLE = ["index", "drop", "no-such-index", "--yes"]

# Each command is killed in the state that the ones before it left.
COMMANDS = (
    ["index", "add", "apiary", "{study}", "--yes"],
    ["interpreter", "adopt", BASE_PYTHON, "--name", "mine", "--yes"],
    ["environment", "new", "hive", "--interpreter", "mine", "--yes"],
    ["package", "get", "swarmcast", "-e", "hive", "--yes"],
    ["environment", "copy", "hive", "mine", "--yes"],
    ["environment", "protect", "mine", "--yes"],
    ["environment", "unprotect", "mine", "--yes"],
    ["environment", "drop", "mine", "--yes"],
    ["environment", "adopt", "made", "--name", "old", "--yes"],
    ["environment", "copy", "old", "new", "--yes"],
    ["environment", "drop", "new", "--yes"],
    ["environment", "unprotect", "old", "--yes"],
    ["environment", "drop", "old", "--yes"],
    ["package", "drop", "swarmcast", "-e", "hive", "--yes"],
    ["undo", "--yes"],
    ["path", "add", "tools", "--yes"],
    ["undo", "--yes"],
    ["path", "add", "tools", "--yes"],
    ["path", "add", "more", "--before", "tools", "--yes"],
    ["path", "drop", "tools", "--yes"],
    ["variable", "add", "HIVE_DATA", "x", "--yes"],
    ["variable", "drop", "HIVE_DATA", "--yes"],
    ["path", "tidy", "--yes"],
    ["shell", "wire", "--script", "session.sh", "--yes"],
    ["shell", "unwire", "--script", "session.sh", "--yes"],
    ["path", "add", "more", "-e", "hive", "--yes"],
    ["variable", "add", "HIVE_DATA", "x", "-e", "hive", "--yes"],
    ["shell", "unwire", "--yes"],
    ["shell", "wire", "bash", "zsh", "--yes"],
    ["shell", "unwire", "--yes"],
    ["catalog", "add", "hums", "catalog", "--yes"],
    ["interpreter", "get", "./queen", "--front", "--yes"],
    ["command", "prefer", "lua", "queen", "--yes"],
    # A line for the shell breaks something, which the command behind it mends.
    ["!rm .local/share/unified-shell/commands/lua .local/share/unified-shell/wiring/session.bash"],
    ["verify", "command:lua", "sessions", "--mend", "--yes"],
    ["command", "prefer", "python", "hive", "--yes"],
    ["command", "drop", "python", "--yes"],
    ["command", "get", "swarmcast", "--interpreter", BASE_PYTHON, "--yes"],
    ["command", "drop", "swarmcast", "--yes"],
    ["interpreter", "drop", "queen", "--even-if-needed", "--yes"],
    ["catalog", "drop", "hums", "--yes"],
    ["suite", "get", "suites/humscan.toml", "--form", "source", "--yes"],
    ["suite", "drop", "humscan", "--yes"],
    ["suite", "get", "suites/humscan.toml", "-e", "hive", "--yes"],
    ["suite", "drop", "humscan", "--even-if-needed", "--yes"],
    ["suite", "adopt", "queen", "--as", "queen-1.0", "--script", "setup.sh", "--yes"],
    ["!echo 'export HUM_QUEEN=2' >> queen/setup.sh"],
    ["suite", "refresh", "queen", "--yes"],
    ["suite", "drop", "queen", "--yes"],
    ["outfit", "new", "plain", "--into", "plain.toml", "--yes"],
    ["outfit", "lock", "outfit.toml", "--yes"],
    ["outfit", "equip", "outfit.toml", "--yes"],
    ["undo", "--yes"],
    ["environment", "drop", "hive", "--yes"],
    ["undo", "--yes"],
    ["environment", "drop", "hive", "--yes"],
    ["outfit", "equip", "outfit.toml", "--yes"],
    ["!printf '[outfit]\\nname = \"killed\"\\n' > outfit.toml"],
    ["outfit", "equip", "outfit.toml", "--drop-unnamed", "--yes"],
    ["undo", "--yes"],
    # An interpreter that is lacking, and an environment that stands on it, in one change.
    ["!printf '%s' '{coming}' > outfit.toml"],
    ["outfit", "equip", "outfit.toml", "--yes"],
    ["undo", "--yes"],
    ["interpreter", "drop", "mine", "--yes"],
    ["index", "drop", "apiary", "--yes"],
)


# What is done to environments where the file system makes no links: trees are moved instead.
WITHOUT_LINKS = (
    ["index", "add", "apiary", "{study}", "--yes"],
    ["environment", "new", "hive", "--yes"],
    ["package", "get", "swarmcast", "-e", "hive", "--yes"],
    ["package", "drop", "swarmcast", "-e", "hive", "--yes"],
    ["undo", "--yes"],
    ["environment", "copy", "hive", "mine", "--yes"],
    ["environment", "drop", "mine", "--yes"],
    ["undo", "2", "--through", "--yes"],
)


OUTFIT = """\
[outfit]
name = "killed"
[catalog.killed]
url = "suites"
[environment.study]
packages = ["combgraph"]
variables = { HIVE_MODE = "day" }
[suite.humscan]
version = ">=1.4"
form = "binary"
[search-path.PATH]
front = ["tools"]
[variables]
HIVE_DATA = "{home}/data"
"""


COMING = """\
[outfit]
name = "coming"
[catalog.lua]
url = "lua"
[environment.combs]
language = "lua"
interpreter = "==5.99.*"
"""


class Harness:
    """Runs commands in children of a warm process; keeps a copy of the home to begin again from."""

    def __init__(self, account: Account, copy: Path) -> None:
        self.account, self.copy = account, copy
        self.has_links = True
        driver = kill_driver.__file__
        self.process = subprocess.Popen(
            [sys.executable, driver], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def run(self, words: list[str], kill_at: int | None = None) -> tuple[int, list[str]]:
        request = {
            "home": str(self.account.home),
            "variables": self.account.variables,
            "words": words,
            "kill_at": kill_at,
            "links": self.has_links,
        }
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self.process.stdin.write(json.dumps(request) + "\n")
        self.process.stdin.flush()
        answer = json.loads(self.process.stdout.readline())
        return answer["code"], answer["points"]

    def keep(self) -> None:
        restore(self.copy, self.account.home)

    def set_aside(self) -> None:
        """Put the home as it is now out of the way: it need not be made once more."""
        self.account.home.rename(self.copy.with_name("aside"))

    def bring_back(self) -> None:
        shutil.rmtree(self.account.home)
        self.copy.with_name("aside").rename(self.account.home)

    def restore(self) -> None:
        # What the killed one had started ends right after it, and may still write for a moment.
        for _ in range(50):
            with suppress(OSError):
                restore(self.account.home, self.copy)
                return
            time.sleep(0.05)
        raise AssertionError("something goes on writing into the home")

    def state(self) -> dict[str, str]:
        return visible_state(self.account.home)


def chosen(points: list[str], *, few: bool = True) -> list[int]:
    """Return the points to kill at: a few of all of them, or the moves of trees among the steps, and two before them."""
    steps = [at for at, point in enumerate(points) if point == "unified_shell.step"]
    if not few:
        moves = [at for at, point in enumerate(points) if point == "os.rename" and steps[0] < at < steps[-1]]
        return sorted({0, max(steps[0] - 1, 0), *moves})
    # One while it is prepared, of which nothing may be left.
    some = {steps[0] // 2, *range(EVERY // 2, len(points), EVERY)}
    return sorted({*steps[:1], *steps[1:-1:24], *steps[-1:], *some})


@pytest.fixture
def harness(account: Account, tmp_path: Path) -> Iterator[Harness]:
    made = Harness(account, tmp_path / "copy")
    yield made
    assert made.process.stdin is not None
    made.process.stdin.close()
    made.process.wait()


def _furnish(account: Account) -> None:
    """Put what the commands work on into a home."""
    account.tool("weigh-hive")
    account.tool("other", folder="more")
    account.write(".bashrc", "alias ll='ls -l'\nPATH=$PATH:$HOME/gone\n# the end")
    account.write(".profile", "true\n")
    account.write("session.sh", "HUM=1\n")
    account.write("catalog/catalog.toml", "")
    make_humscan_catalog(str(account.home / "suites"))
    script_tree(account.home / "queen")
    account.write("queen/setup.sh", "export HUM_QUEEN=1\n")
    account.write("outfit.toml", OUTFIT)
    archive = archive_of(script_tree(account.home / "lua-5.99.1", "5.99.1"), account.home / "lua-5.99.1.tar.gz")
    shutil.rmtree(account.home / "lua-5.99.1")
    catalog_of(account.home / "lua", archive, version="5.99.1")
    account.more["USH_REGISTRY"] = str(account.home / "hive.reg")


def test_a_killed_command_leaves_the_state_before_or_after(harness: Harness, study: Path) -> None:
    account = harness.account
    _furnish(account)
    hand_made(account.home / "made", [study / "combgraph-1.0.2-py3-none-any.whl"], {"more/loose.txt": "wax"})
    reached = kill_each(harness, COMMANDS, study)
    assert reached["before"] > 20
    assert reached["after"] > 20


def test_a_killed_command_does_so_where_no_links_can_be_made(harness: Harness, study: Path) -> None:
    harness.has_links = False
    reached = kill_each(harness, WITHOUT_LINKS, study)
    assert reached["before"] > 5
    assert reached["after"] > 5
    assert not [one for one in harness.account.data.rglob("*") if one.is_symlink()]


def kill_each(harness: Harness, commands: Iterable[list[str]], study: Path) -> Counter[str]:
    """Kill each command at chosen points, settle, and count the states that were found."""
    account, count = harness.account, 0
    reached: Counter[str] = Counter()
    for command in commands:
        count += 1
        if command[0].startswith("!"):
            line = command[0][1:].replace("{coming}", COMING)
            subprocess.run(line, shell=True, cwd=account.home, check=True)
            continue
        words = [str(study) if word == "{study}" else word for word in command]
        harness.keep()
        before = harness.state()
        code, points = harness.run(words)
        assert code == 0, words
        after = harness.state()
        assert after != before, f"{words} changes something"
        assert "unified_shell.step" in points
        harness.set_aside()
        for at in chosen(points, few=harness.has_links):
            harness.restore()
            assert harness.run(words, kill_at=at)[0] == -9, (words, at)
            # The recovery may be killed as well: what it does is done once or twice to the same end.
            if at % 3 == 0:
                harness.run(SETTLE, kill_at=at % 7)
            assert harness.run(SETTLE)[0] == 2
            found = harness.state()
            assert found in (before, after), _difference(words, at, found, before, after)
            if list((account.data / "staging").glob("*")):
                # A child of the killed process had not ended yet when its staging was swept.
                harness.run(SETTLE)
            assert not list((account.data / "staging").glob("*")), (words, at)
            assert not [name for name in found if name.endswith((".ush-new", ".new"))], (words, at)
            reached["after" if found == after else "before"] += 1
        harness.bring_back()
    print(f"\nkilled at {sum(reached.values())} points of {count} commands: {dict(reached)}")
    return reached


def _difference(
    words: list[str], at: int, found: dict[str, str], before: dict[str, str], after: dict[str, str]
) -> str:
    from_before = sorted({name for name, _ in set(found.items()) ^ set(before.items())})[:8]
    from_after = sorted({name for name, _ in set(found.items()) ^ set(after.items())})[:8]
    return f"{words} killed at {at}: differs from before in {from_before}, from after in {from_after}"
