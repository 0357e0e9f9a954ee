"""A directory is wired into each startup file of the gallery, found at a real terminal, traced, and undone byte for byte."""

import os
import stat
import time
from pathlib import Path

import pytest

from support.account import Account
from support.gallery import GALLERY, Case
from support.shells import words_of
from support.terminal import Terminal

# What a shell writes at the test's own terminal.
MADE_BY_SHELLS = frozenset({".bash_history", ".sh_history", ".zsh_history", "fish_variables"})


def _settle(account: Account, case: Case) -> None:
    for name, content in case.files.items():
        account.write(name, content)
    for name, target in case.links.items():
        (account.home / name).symlink_to(target)
    for name, mode in case.modes.items():
        (account.home / name).chmod(mode)
    account.tool("weigh")


def _state(home: Path, ignored: frozenset[str] = frozenset()) -> dict[str, tuple[str, bytes]]:
    """Return every file of a home that is a person's, with its bytes, mode and kind."""
    found = {}
    for folder, folders, names in os.walk(home):
        folders[:] = [one for one in folders if one not in (".cache", ".local")]
        for name in names:
            path = Path(folder) / name
            if name in ignored:
                continue
            kind = os.readlink(path) if path.is_symlink() else f"{stat.S_IMODE(path.stat().st_mode):o}"
            found[str(path.relative_to(home))] = (kind, path.read_bytes())
    return found


def _answers(account: Account, case: Case, name: str) -> str:
    """Type at a real terminal where a command is found, in a new session of the case's shell."""
    program = words_of(case.shell)[0]
    variables = {**account.variables, "SHELL": program, "PATH": "/usr/bin:/bin"}
    argv0 = f"-{case.shell}" if case.login else case.shell
    told = account.home.parent / "told"
    told.unlink(missing_ok=True)
    with Terminal([program], variables, account.home, argv0=argv0) as terminal:
        terminal.type(f"/bin/sh -c 'command -v {name} > {told}.part; /bin/mv {told}.part {told}'")
        end = time.monotonic() + 10
        while not told.exists():
            assert time.monotonic() < end, terminal.shown
            terminal.read(0.05)
    return told.read_text().strip()


@pytest.mark.parametrize("name", GALLERY)
def test_a_startup_file_of_the_gallery_is_wired_and_undone(account: Account, name: str) -> None:
    case = GALLERY[name]
    account.more["SHELL"] = words_of(case.shell)[0]
    _settle(account, case)
    before = _state(account.home)
    done = account.ush("path", "add", "tools", "--yes", code=case.code)
    if case.code in (3, 5):
        assert _state(account.home) == before
        return
    assert not MADE_BY_SHELLS & {Path(one).name for one in _state(account.home)}, "our sessions leave nothing"
    assert (account.home / "job.sh").exists() == ("here-document" in name and "exit" in name)
    if case.code == 0:
        assert _answers(account, case, "weigh") == f"{account.home}/tools/weigh"
        listed = account.ush("path", "list", "--shell", case.shell, *(["--login"] if case.login else [])).out
        assert "tools" in listed
    else:
        assert "checks passed" in done.out or "FAULT" in done.out
    account.ush("undo", "--yes")
    (account.home / "job.sh").unlink(missing_ok=True)
    assert _state(account.home, MADE_BY_SHELLS) == before


def test_a_line_that_wins_is_commented_out_or_passed(account: Account) -> None:
    """Below the hook-up a line puts a directory in front whose command is of the same name."""
    account.tool("weigh", "new")
    account.tool("weigh", "old", folder="old")
    account.ush("path", "add", "tools", "--yes")
    rc = account.home / ".bashrc"
    profile = account.home / ".profile"
    for file in (rc, profile):
        file.write_text(file.read_text() + "if true; then\nexport PATH=$HOME/old:$PATH\nfi\n")
    before = rc.read_bytes()
    won = account.ush("path", "add", "tools", "--front", "--yes", code=None)
    account.ush("command", "prefer", "weigh", account.home / "tools/weigh", "--yes", code=1)
    said = account.ush("command", "prefer", "weigh", account.home / "tools/weigh", "--plan", code=None)
    assert won.code in (0, 1), said
    # One way out: the line is commented out, the branch left whole.
    dropped = account.ush("path", "drop", account.home / "old", "--yes")
    assert "commented out" in dropped.out
    assert b"#(ush off) export PATH=$HOME/old:$PATH" in rc.read_bytes()
    assert account.session("weigh").out == "new\n"
    account.ush("undo", "--yes")
    assert rc.read_bytes() == before
    assert account.session("weigh").out == "old\n"
    # The other: the hook-up stands behind it.
    account.ush("shell", "wire", "bash", "--at-end", "--yes")
    assert account.session("weigh").out == "new\n"
    account.ush("undo", "--yes")
    assert rc.read_bytes() == before


def test_a_line_that_does_more_is_shown_and_left(account: Account) -> None:
    account.tool("weigh", "old", folder="old")
    text = "for d in old older; do PATH=$HOME/$d:$PATH; done\nexport PATH\n"
    account.write(".bashrc", text)
    refused = account.ush("path", "drop", account.home / "old", "--yes", code=3)
    assert "for d in old older" in refused.err
    assert (account.home / ".bashrc").read_text() == text


def test_undo_keeps_a_link_that_was_made_since(account: Account) -> None:
    account.tool("weigh")
    rc = account.write(".bashrc", "alias a=b\n")
    account.ush("path", "add", "tools", "--yes")
    (account.home / "dot").mkdir()
    rc.rename(account.home / "dot/bashrc")
    rc.symlink_to("dot/bashrc")
    account.ush("undo", "--yes")
    assert rc.is_symlink()
    assert (account.home / "dot/bashrc").read_text() == "alias a=b\n"


@pytest.mark.parametrize(
    ("variable", "asked", "expected"),
    [
        ("MANPATH", "$MANPATH", "{0}:"),
        ("XDG_DATA_DIRS", "$XDG_DATA_DIRS", "{0}:/usr/local/share:/usr/share"),
        ("CDPATH", "$CDPATH", ".:{0}:."),
        ("LD_LIBRARY_PATH", "$LD_LIBRARY_PATH", "{0}"),
    ],
)
def test_adding_to_a_search_path_takes_nothing_away(
    account: Account, variable: str, asked: str, expected: str
) -> None:
    folder = account.home / "share"
    folder.mkdir()
    for name in (".bashrc", ".zshrc", ".config/fish/config.fish", ".tcshrc"):
        account.write(name, "")
    account.ush("path", "add", folder, "--variable", variable, "--yes")
    account.ush("shell", "wire", "bash", "zsh", "fish", "tcsh", "--yes", code=None)
    for shell in ("bash", "zsh", "fish", "tcsh"):
        done = account.run([words_of(shell)[0], "-i", "-c", f"printenv {variable}"])
        found = done.out.strip("\n").split(":")
        assert str(folder) in found, shell
        for entry in expected.format(folder).split(":"):
            assert entry in found or (shell == "tcsh" and variable == "CDPATH"), (shell, found)


def test_twenty_adds_at_once_are_all_done(account: Account) -> None:
    import subprocess

    from support.account import USH

    for number in range(20):
        account.tool(f"weigh{number}", folder=f"tools {number}")
    running = [
        subprocess.Popen(
            [USH, "path", "add", f"tools {number}", "--yes"],
            env=account.variables,
            cwd=account.home,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
        )
        for number in range(20)
    ]
    ended = [(one.wait(300), one.communicate()[1]) for one in running]
    assert [code for code, _ in ended] == [0] * 20, ended
    entries = account.session("printenv PATH").out.strip().split(":")
    assert sum("tools " in one for one in entries) == 20


def test_a_session_script_is_read_in_login_sessions_too(account: Account) -> None:
    """Without a login file of its own bash reads ~/.profile, which other shells read as well."""
    account.write("setup.sh", "export HUM_HOME=$HOME/hum PATH=$HOME/hum/bin:$PATH\nshopt -s extglob\necho welcome\n")
    done = account.ush("shell", "wire", "--script", "setup.sh", "--yes")
    assert "it prints 1 line each time" in done.out
    assert "it puts ~/hum/bin on PATH" in done.out
    for login in (True, False):
        assert account.session("echo $HUM_HOME", login=login).out.splitlines()[-1] == f"{account.home}/hum"
    assert account.run(["/bin/dash", "-l", "-c", "echo ${HUM_HOME-none}"]).out == "none\n"
    slow = account.write("slow.sh", "sleep 1\n")
    assert "each new session waits" in account.ush("shell", "wire", "--script", slow, "--plan").out


def test_a_preferred_interpreter_tells_every_answer_that_changes(account: Account) -> None:
    for name in ("python3", "python", "pydoc", *(f"tool{number}" for number in range(20))):
        account.tool(name, folder="queen/bin")
    for name in ("python", "tool7"):
        account.tool(name, folder="old")
    words = ("command", "prefer", "python3", account.home / "queen/bin/python3", "--plan")
    plan = account.ush(*words, more={"PATH": f"{account.home}/old:/usr/bin:/bin"}).out
    lines = [line.split()[1] for line in plan.splitlines() if line.strip().startswith("change")]
    assert "python:" in lines
    only = account.ush(*words, "--only").out
    assert "python:" not in only
    account.ush("command", "prefer", "python3", account.home / "queen/bin/python3", "--only", "--yes")
    assert os.listdir(account.data / "commands") == ["python3"]


POSIX_LINES = (
    'addp() {\n  PATH="$1:$PATH"\n}\n# a comment\naddp ~/a/bin\nPATH=$HOME/b/bin:$PATH\n'
    "eval 'PATH=$HOME/c/bin:$PATH'\naddp ~/b/bin\nexport MANPATH=$HOME/man:\n"
)
FISH_LINES = (
    "set -g x y\nfish_add_path ~/a/bin\nfish_add_path -P ~/b/bin\n"
    "function addp\n  set -gx PATH $argv[1] $PATH\nend\naddp ~/c/bin\n"
)
BLAMED = {
    "bash": (".bashrc", POSIX_LINES, {"b": 8, "c": 7, "a": 5}),
    "zsh": (".zshrc", POSIX_LINES, {"b": 8, "c": 7, "a": 5}),
    "fish": (".config/fish/config.fish", FISH_LINES, {"c": 7, "b": 3, "a": 2}),
    "tcsh": (".tcshrc", "setenv X y\nset path = ( ~/a/bin $path )\nsetenv PATH ~/b/bin:$PATH\n", {"b": 3, "a": 2}),
}


@pytest.mark.parametrize("shell", BLAMED)
def test_the_line_that_put_an_entry_there_is_the_call(account: Account, shell: str) -> None:
    """Functions by where they are called, `eval` by its own line, a doubled entry each time by its own."""
    words_of(shell)
    name, content, expected = BLAMED[shell]
    for folder in "abc":
        (account.home / folder / "bin").mkdir(parents=True)
    account.write(name, content)
    entries = account.ush("path", "list", "--shell", shell, "--json").json()["report"]["entries"]
    lines = {}
    for one in reversed(entries):
        if one["directory"].startswith(str(account.home)):
            assert one["file"] == str(account.home / name)
            lines[one["directory"].removeprefix(f"{account.home}/").partition("/")[0]] = one["line"]
    assert lines == expected
    if shell in ("bash", "zsh"):
        manuals = account.ush("path", "list", "--shell", shell, "--variable", "MANPATH", "--json").json()
        assert [(one["line"], one["fault"]) for one in manuals["report"]["entries"]] == [(9, "is not there"), (9, "")]
