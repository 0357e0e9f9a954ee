"""Tab: what may be typed next, answered for each shell, wired, seen in real terminals, and taken away again."""

import json
import runpy
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from support.account import USH, Account, visible_state
from support.terminal import Terminal

TOP = Path(__file__).parent.parent.parent
PATH = f"{Path(USH).parent}:/usr/bin:/bin"
# What was typed (the last word up to the cursor), and what must be among the answers, or all of them.
TYPED: tuple[tuple[list[str], list[str]], ...] = (
    (["pa"], ["package", "path"]),
    (["env", "sh"], ["show"]),
    (["environment", "show", ""], ["field work", "hive"]),
    (["environment", "run", "hive", "swarm"], ["swarmcast"]),
    (["environment", "run", "hive", "--", "hive"], ["hivehum"]),
    (["package", "why", "w", "-e", "h"], ["hive"]),
    (["package", "why", "-e", "hive", "wag"], ["waggle-io"]),
    (["package", "why", "--environment=hive", "wag"], ["waggle-io"]),
    (["package", "get", "--from", ""], ["apiary"]),
    (["package", "get", "--from=a"], ["--from=apiary"]),
    (["package", "get", "--from-"], ["--from-source"]),
    (["package", "get", "--", "--fr"], []),
    (["path", "add", ""], [":folders"]),
    (["verify", "--checks", ""], [":files"]),
    (["path", "add", "tools", "--for", "e"], ["everyone"]),
    (["undo", ""], ["5", "4", "3", "2", "1"]),
    (["variable", "drop", "H"], ["HIVE_DATA"]),
    (["suite", "get", "qh"], ["qhull"]),
    (["outfit", "new", "im"], ["images"]),
    (["help", "search"], ["search-paths"]),
    (["shell", "wire", "zs"], ["zsh"]),
    (["interpreter", "drop", ""], ["system"]),
    (["no-such-noun", ""], []),
    (["package", "no-such-verb", ""], []),
    (["undo", "1", ""], []),
)


@pytest.fixture
def busy(apiary: Account) -> Account:
    """An account with something of each kind, each by one change; the fifth is the newest that can be undone."""
    apiary.ush("package", "get", "swarmcast", "-e", "hive", "--yes")
    apiary.ush("environment", "new", "field work", "--yes")
    apiary.ush("variable", "add", "HIVE_DATA", "x", "--yes")
    apiary.ush("interpreter", "adopt", "/usr/bin/python3", "--name", "system", "--yes")
    return Account(apiary.home, more={"PATH": PATH})


def test_what_may_stand_at_the_cursor_is_answered_in_each_shell_s_form(busy: Account) -> None:
    numbers = [str(one["entry"]["number"]) for one in busy.ush("journal", "--json").json()["items"]]
    for words, expected in TYPED:
        wanted = numbers if words == ["undo", ""] else expected
        done = busy.run([USH, "complete", "fish", *words])
        assert [line.partition("\t")[0] for line in done.out.splitlines()] == wanted, words
        assert not done.err
    assert busy.run([USH, "complete", "zsh", "environment", "show", "f"]).out == "field work:environment\n"
    assert busy.run([USH, "complete", "bash", "ush environment show f", "f"]).out == "field\\ work\n"
    assert busy.run([USH, "complete", "bash", "ush environment show 'field w", "'field w"]).out == "field work\n"
    # bash takes what follows a colon or an equals sign for a word of its own.
    assert busy.run([USH, "complete", "bash", "ush package get --from=a", "a"]).out == "apiary\n"
    assert busy.run([USH, "complete", "bash", "ush package get --from=", "="]).out == "apiary\n"
    line = {"COMMAND_LINE": "ush environment show "}
    assert busy.run([USH, "complete", "tcsh"], more=line).out == "hive\n", "a name with a blank would be two"
    assert busy.run([USH, "complete", "tcsh"], more={"COMMAND_LINE": "ush path add .lo"}).out == ".local\n"


def test_a_hostile_name_is_text_alone(busy: Account) -> None:
    for name in ("$(touch struck)", "a;touch struck", "two\nlines", "`touch struck`", "quo'te"):
        (busy.data / "environments" / name).mkdir()
    answered = busy.run([USH, "complete", "bash", "ush environment show ", ""]).out.splitlines()
    assert "\\$\\(touch\\ struck\\)" in answered
    assert "quo\\'te" in answered
    assert not [line for line in answered if "lines" in line], "it would be two names"
    busy.ush("shell", "wire", "bash", "--completion", "--yes")
    with Terminal(["/bin/bash"], busy.variables, busy.home) as terminal:
        terminal.read(1)
        for typed in ("ush environment show $\t", "ush environment show a\t", "ush environment show `\t"):
            terminal.send(typed.encode())
            terminal.read(1)
            terminal.send(b"\x03")
    assert not (busy.home / "struck").exists()


def test_an_answer_needs_nothing_that_is_whole_and_says_nothing_of_faults(busy: Account, tmp_path: Path) -> None:
    for name in ("environments.toml", "journal.sqlite", "interpreters/adopted.toml"):
        (busy.data / name).write_bytes(b"\xff\x00 broken [")
    for kind in (
        ["environment", "show", ""],
        ["undo", ""],
        ["interpreter", "drop", ""],
        ["package", "get", "-e", ""],
    ):
        done = busy.run([USH, "complete", "zsh", *kind])
        assert not done.err
        assert done.code in (0, 1)
    gone = {"HOME": str(tmp_path / "gone"), "XDG_DATA_HOME": "relative"}
    assert not busy.run([USH, "complete", "zsh", "environment", "show", ""], more=gone).out


def test_the_table_of_words_is_that_of_the_parser() -> None:
    script = runpy.run_path(str(TOP / "docs/make_completion.py"))
    assert script["FILE"].read_text() == script["table_text"](), "made anew by docs/make_completion.py"
    table = json.loads(script["FILE"].read_text())
    # Each word of a command says what it stands for, so that no name has to be typed from memory.
    plain = {name for name, one in table["commands"].items() if "text" in one["words"]}
    assert plain == {
        "environment new", "environment copy", "environment rename", "package get", "suite list", "catalog add", "catalog list",
        "command get", "command list", "index add", "index copy", "variable add",
    }  # fmt: skip


SHELLS = {"bash": "/bin/bash", "zsh": "/usr/bin/zsh", "fish": "/usr/bin/fish", "tcsh": "/usr/bin/tcsh"}


@pytest.mark.parametrize("shell", SHELLS)
def test_tab_completes_in_a_real_terminal_and_undo_takes_it_away(busy: Account, shell: str) -> None:
    if not Path(SHELLS[shell]).exists():
        pytest.skip(f"{shell} is not here")
    before = visible_state(busy.home)
    busy.ush("shell", "wire", shell, "--completion", "--yes")
    with Terminal([SHELLS[shell]], busy.variables, busy.home) as terminal:
        terminal.read(1)
        for typed, whole in (
            ("ush env\t", "ush environment "),
            ("ush environment show hi\t", "show hive"),
            ("ush package why -e hive wag\t", "waggle-io"),
        ):
            terminal.shown = ""
            terminal.send(typed.encode())
            terminal.wait_for(whole.rpartition(" ")[2] or "environment")
            terminal.send(b"\x15")
    busy.ush("undo", "--yes")
    after = visible_state(busy.home)
    # What a shell keeps of its own sessions is not ours.
    assert {name: one for name, one in after.items() if name in before or "wiring" in name} == before
    assert busy.run([SHELLS[shell], *(["-i"] if shell != "tcsh" else []), "-c", "true"]).code == 0


def test_completion_that_a_session_does_not_have_is_a_fault_and_a_shell_without_any_is_told(busy: Account) -> None:
    busy.write(".bashrc", "PROMPT_COMMAND='unset -f _ush_complete'\n")
    done = busy.ush("shell", "wire", "bash", "--completion", "--yes", code=1)
    assert "it does not read the file that completes" in done.out
    busy.write(".bashrc", (busy.home / ".bashrc").read_text().replace("unset -f _ush_complete", "true"))
    assert "already complete" in busy.ush("shell", "wire", "bash", "--completion", "--yes").out
    (busy.data / "wiring/completion.bash").write_text("")
    busy.ush("verify", "sessions", code=1)
    busy.ush("verify", "sessions", "--mend", "--yes")
    assert "ush_complete" in (busy.data / "wiring/completion.bash").read_text()
    busy.ush("shell", "unwire", "--completion", "--yes")
    assert not (busy.data / "wiring/completion.bash").exists()
    assert "ush_complete" not in busy.session("type _ush_complete; :").out
    if shutil.which("ksh"):
        assert "bash, zsh, fish, tcsh can" in busy.ush("shell", "wire", "ksh", "--completion", "--yes", code=2).err


def test_an_answer_loads_neither_the_command_line_nor_what_it_needs() -> None:
    line = (
        "import sys; sys.argv = ['ush', 'complete', 'zsh', 'package', '']\n"
        "from unified_shell.entry import main\n"
        "try: main()\n"
        "except SystemExit: pass\n"
        "print(sorted({'click', 'msgspec', 'rich', 'httpx', 'unified_shell.cli.main'} & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", line], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"
