"""A property of all commands: in any order, some of them killed, what is there is what was asked for.

The model is a few sets. After each command the machine is compared with it: what the commands say in JSON,
what a real new session finds, and at the end, after undoing everything, the startup files byte for byte.
"""

import json
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from support import kill_driver
from support.account import BASE_PYTHON, Account, environment_state, visible_state
from support.interpreters import script_tree
from unified_shell.demo.study import make_study_index

TOOLS = ("a", "b c", "d'e")
PACKAGES = ("combgraph", "hivehum", "swarmcast", "waggle-io")
NEEDS = {
    "combgraph": set(),
    "waggle-io": set(),
    "hivehum": {"waggle-io"},
    "swarmcast": {"hivehum", "waggle-io", "combgraph"},
}
STARTUP = st.sampled_from([b"", b"a=1", b"a=1\n# end\n", b"caf\xe9=1\r\n"])
State = tuple[list[str], set[str] | None, bool, str]
killing = st.one_of(st.none(), st.none(), st.integers(0, 60))


class Commands(RuleBasedStateMachine):
    """One account, and what it should hold. `asked` is None while there is not an environment."""

    def __init__(self) -> None:
        super().__init__()
        self.top = Path(tempfile.mkdtemp(prefix="ush-any-"))
        self.account = Account(self.top / "home")
        self.account.home.mkdir()
        self.wired: list[str] = []
        self.asked: set[str] | None = None
        self.history: list[State] = []
        self.preferred = ""
        self.hooked = False
        self.driver = subprocess.Popen(
            [sys.executable, kill_driver.__file__], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    @initialize(bashrc=STARTUP, profile=STARTUP)
    def begin(self, bashrc: bytes, profile: bytes) -> None:
        make_study_index(str(self.top / "wheels"))
        for name in TOOLS:
            self.account.tool(f"tool-{TOOLS.index(name)}", folder=name)
            script_tree(self.top / "lua" / str(TOOLS.index(name)), f"5.{TOOLS.index(name)}.1")
        self.account.write(".bashrc", bashrc)
        self.account.write(".profile", profile)
        self.before = visible_state(self.account.home)
        assert self._run("index", "add", "apiary", str(self.top / "wheels"), "--yes") == 0
        self.history.append(([], None, False, ""))

    @rule(tool=st.sampled_from(TOOLS), kill=killing)
    def add_path(self, tool: str, kill: int | None) -> None:
        new = (self.wired if tool in self.wired else [tool, *self.wired], self.asked, True, self.preferred)
        changes = tool not in self.wired or not self.hooked
        self._change(["path", "add", tool], kill, new if changes else None)

    @precondition(lambda self: self.wired)
    @rule(kill=killing)
    def drop_path(self, kill: int | None) -> None:
        gone = self.wired[-1]
        self._change(
            ["path", "drop", self._place(gone)], kill, (self.wired[:-1], self.asked, self.hooked, self.preferred)
        )

    @precondition(lambda self: len(self.wired) > 1 and self.hooked)
    @rule(kill=killing)
    def move_path(self, kill: int | None) -> None:
        first, *rest, last = self.wired
        self._change(
            ["path", "add", self._place(last), "--before", self._place(first)],
            kill,
            ([last, first, *rest], self.asked, True, self.preferred),
        )

    @precondition(lambda self: self.hooked)
    @rule(kill=killing)
    def unwire(self, kill: int | None) -> None:
        self._change(["shell", "unwire"], kill, (self.wired, self.asked, False, self.preferred))

    @precondition(lambda self: self.asked is None)
    @rule(kill=killing)
    def new_environment(self, kill: int | None) -> None:
        self._change(
            ["environment", "new", "hive", "--interpreter", BASE_PYTHON],
            kill,
            (self.wired, set(), self.hooked, self.preferred),
        )

    @precondition(lambda self: self.asked is not None)
    @rule(package=st.sampled_from(PACKAGES), kill=killing)
    def get(self, package: str, kill: int | None) -> None:
        assert self.asked is not None
        new = None if package in self.asked else (self.wired, {*self.asked, package}, self.hooked, self.preferred)
        self._change(["package", "get", package, "-e", "hive"], kill, new)

    @precondition(lambda self: bool(self.asked))
    @rule(kill=killing)
    def drop_package(self, kill: int | None) -> None:
        assert self.asked
        package = sorted(self.asked)[-1]
        rest = self.asked - {package}
        if package in _closed(rest):
            return
        self._change(
            ["package", "drop", package, "-e", "hive"], kill, (self.wired, rest, self.hooked, self.preferred)
        )

    @precondition(lambda self: self.asked is not None)
    @rule(kill=killing)
    def drop_environment(self, kill: int | None) -> None:
        self._change(["environment", "drop", "hive"], kill, (self.wired, None, self.hooked, self.preferred))

    @rule(which=st.sampled_from("012"), kill=killing)
    def prefer(self, which: str, kill: int | None) -> None:
        wired = ["commands", *(one for one in self.wired if one != "commands")]
        new = (wired, self.asked, True, which)
        changes = new != (self.wired, self.asked, self.hooked, self.preferred)
        self._change(
            ["command", "prefer", "lua", str(self.top / "lua" / which / "bin/lua")], kill, new if changes else None
        )

    @precondition(lambda self: self.preferred)
    @rule(kill=killing)
    def take_back(self, kill: int | None) -> None:
        self._change(["command", "drop", "lua"], kill, (self.wired, self.asked, self.hooked, ""))

    @precondition(lambda self: len(self.history) > 1)
    @rule()
    def undo(self) -> None:
        assert self._run("undo", "--yes") == 0
        self.wired, self.asked, self.hooked, self.preferred = self.history.pop()

    @invariant()
    def the_machine_is_as_asked(self) -> None:
        if not self.history:
            return
        wanted = self.account.ush("path", "list", "--json").json()["wiring"]
        in_order = sorted(wanted, key=lambda one: one["rank"])
        assert [Path(one["directory"]).name for one in in_order] == self.wired
        found = self.account.session('printf "%s\\n" "$PATH"').out.strip().split(":")
        own = [Path(one).name for one in found if one.startswith(str(self.account.home))]
        assert own == (self.wired if self.hooked else [])
        if self.preferred and self.hooked and "commands" in self.wired:
            assert self.account.session("lua").out == f"Lua 5.{self.preferred}.1\n"
        assert bool(self.account.ush("command", "list", "--json").json()["choices"]) == bool(self.preferred)
        listed = self.account.ush("environment", "list", "--json").json()["items"]
        if self.asked is None:
            assert listed == []
        else:
            held = {one["name"] for one in listed[0]["contents"]["distributions"]}
            assert held == _closed(self.asked)
            names = {
                path.name.split("-")[0] for path in self.account.environment().glob("lib/*/site-packages/*.dist-info")
            }
            assert names == {one.replace("-", "_") for one in held}

    def teardown(self) -> None:
        try:
            if self.history:
                self._compare_with_a_fresh_one()
                while self.history:
                    assert self._run("undo", "--yes") == 0
                    self.history.pop()
                assert visible_state(self.account.home) == self.before
        finally:
            assert self.driver.stdin is not None
            self.driver.stdin.close()
            self.driver.wait()
            shutil.rmtree(self.top)

    def _compare_with_a_fresh_one(self) -> None:
        """However its content came about, file by file it is that of an environment that is made anew."""
        if not self.asked:
            return
        before = environment_state(self.account.environment())
        again = (
            ["environment", "drop", "hive"],
            ["environment", "new", "hive", "--interpreter", BASE_PYTHON],
            ["package", "get", *sorted(self.asked), "-e", "hive"],
        )
        for words in again:
            assert self._run(*words, "--yes") == 0
        assert environment_state(self.account.environment()) == before
        for _ in again:
            assert self._run("undo", "--yes") == 0

    def _change(self, words: list[str], kill: int | None, new: State | None) -> None:
        code = self._run(*words, "--yes", kill=kill)
        if code == -9:
            self._run("index", "drop", "no-such-index", "--yes")
            newest = next((one for one in self._journal() if not one["entry"]["undoes"] and one["standing"]), None)
            happened = newest is not None and newest["entry"]["words"].split()[:2] == words[:2]
            if not happened or len([one for one in self._journal() if one["standing"]]) <= self._standing:
                return
        else:
            assert code == 0, words
        if new is not None:
            self.history.append((self.wired, self.asked, self.hooked, self.preferred))
            self.wired, self.asked, self.hooked, self.preferred = new

    def _place(self, name: str) -> str:
        return str(self.account.data / "commands") if name == "commands" else name

    def _journal(self) -> list[dict]:  # type: ignore[type-arg]
        found: list[dict] = self.account.ush("journal", "--all", "--json").json()["items"]  # type: ignore[type-arg]
        return found

    def _run(self, *words: str, kill: int | None = None) -> int:
        if kill is not None:
            self._standing = len([one for one in self._journal() if one["standing"]])
        request = {
            "home": str(self.account.home),
            "variables": self.account.variables,
            "words": list(words),
            "kill_at": kill,
        }
        assert self.driver.stdin is not None
        assert self.driver.stdout is not None
        self.driver.stdin.write(json.dumps(request) + "\n")
        self.driver.stdin.flush()
        code = json.loads(self.driver.stdout.readline())["code"]
        assert isinstance(code, int)
        return code


def _closed(asked: set[str]) -> set[str]:
    found = set(asked)
    for _ in range(3):
        found |= {needed for one in found for needed in NEEDS[one]}
    return found


TestCommands = Commands.TestCase
TestCommands.settings = settings(
    max_examples=3, stateful_step_count=12, deadline=None, suppress_health_check=list(HealthCheck)
)
