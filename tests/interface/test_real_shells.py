"""Every dialect with real sessions: wired, entered, traced, asked; a person's own lines left as they are."""

import os
import shutil
import time
from pathlib import Path

import pytest

from support.account import Account, visible_state
from support.shells import words_of

# shell, its startup file, a line that puts $HOME/own in front, a line that resets PATH, a function that adds.
POSIX = ('PATH="$HOME/own:$PATH"\nexport PATH\n', "PATH=/usr/bin:/bin\nexport PATH\n")
FISH = ("set -gx PATH $HOME/own $PATH\n", "set -gx PATH /usr/bin /bin\n")
CSH = ("setenv PATH $HOME/own:${PATH}\n", "setenv PATH /usr/bin:/bin\n")
SHELLS = {
    "bash": (".bashrc", *POSIX),
    "zsh": (".zshrc", *POSIX),
    "ksh": (".kshrc", *POSIX),
    "mksh": (".mkshrc", *POSIX),
    "fish": (".config/fish/config.fish", *FISH),
    "tcsh": (".cshrc", *CSH),
}


def with_shell(account: Account, shell: str) -> Account:
    """Let the account's own shell be this one."""
    (program,) = words_of(shell)
    account.more["SHELL"] = program
    return account


def path_of(account: Account, shell: str, *, login: bool = False, more: dict[str, str] | None = None) -> list[str]:
    """Return PATH as a child of a new interactive session sees it."""
    out = account.home / "seen"
    words = [shell, "-i", "-c", f"/usr/bin/env > {out}"]
    if login:
        words.insert(1, "-l")
    account.run(words, more={"USH_WIRING": "", **(more or {})})
    found = dict(line.split("=", 1) for line in out.read_text().splitlines() if "=" in line)
    out.unlink()
    return found["PATH"].split(":")


@pytest.mark.parametrize("shell", SHELLS)
def test_wired_in_its_own_file_and_undone(account: Account, shell: str) -> None:
    with_shell(account, shell)
    file, own, _ = SHELLS[shell]
    account.write(file, f"# mine\n{own}")
    account.tool("weigh-hive", folder="tools & more")
    account.tool("last", folder="back")
    before = visible_state(account.home)
    account.ush("path", "add", "tools & more", "--yes")
    account.ush("path", "add", "back", "--back", "--yes")
    account.ush("variable", "add", "HIVE_DATA", "it's $HOME `here`", "--yes")
    assert "#(ush)" in (account.home / file).read_text()
    found = path_of(account, shell)
    assert found[:2] == [f"{account.home}/tools & more", f"{account.home}/own"]
    assert found[-1] == f"{account.home}/back"
    nested = path_of(account, shell, more={"PATH": ":".join(found)})
    assert [one for one in nested if one.endswith(("more", "back"))] == [found[0], found[-1]], "nothing grows"
    assert account.run([shell, "-i", "-c", "printenv HIVE_DATA"]).out.splitlines()[-1] == "it's $HOME `here`"
    if shell not in ("tcsh",):
        assert path_of(account, shell, login=True).count(found[0]) == 1
    for _ in range(3):
        account.ush("undo", "--yes")
    assert {key: value for key, value in visible_state(account.home).items() if key in before} == before


@pytest.mark.parametrize("shell", SHELLS)
def test_an_entered_environment_wins_over_startup_files(account: Account, shell: str, study: Path) -> None:
    with_shell(account, shell)
    file, own, reset = SHELLS[shell]
    account.tool("python", folder="own")
    account.write(file, reset + own)
    account.tool("weigh-hive")
    account.ush("path", "add", "tools", "--yes")
    prefix = account.new_environment()
    entered = {"USH_ENVIRONMENT": str(prefix), "PATH": f"{prefix}/bin:/usr/bin:/bin"}
    for login in (False, True):
        if login and shell == "tcsh":
            continue
        found = path_of(account, shell, login=login, more=entered)
        assert found[0] == f"{prefix}/bin", (login, found)
        assert found.count(found[0]) == 1


@pytest.mark.parametrize("shell", ["bash", "dash", "busybox sh", "ksh", "mksh", "zsh", "fish", "tcsh"])
def test_environments_nest_and_are_left_one_by_one(account: Account, shell: str) -> None:
    outer, inner = account.new_environment("outer"), account.new_environment("inner")
    name = {"fish": "enter.fish", "tcsh": "enter.csh"}.get(shell, "enter.sh")
    word = "source" if shell in ("fish", "tcsh") else "."
    show = "/bin/sh -c 'echo \"$PATH|$USH_ENVIRONMENT\"'"
    lines = [
        f"{word} {outer}/{name}",
        f"{word} {inner}/{name}",
        f"{word} {inner}/{name}",
        show,
        "ush_leave",
        show,
        "ush_leave",
        show,
    ]
    script = account.write("script", "\n".join(lines) + "\n")
    words = [*words_of(shell), *({"tcsh": ["-f"], "zsh": ["-f"]}.get(shell, [])), str(script)]
    done = account.run(words)
    assert done.out.splitlines() == [
        f"{inner}/bin:{outer}/bin:/usr/bin:/bin|{inner}",
        f"{outer}/bin:/usr/bin:/bin|{outer}",
        "/usr/bin:/bin|",
    ], done.err


@pytest.mark.parametrize("shell", SHELLS)
def test_each_entry_is_traced_to_file_and_line(account: Account, shell: str) -> None:
    with_shell(account, shell)
    file, own, _ = SHELLS[shell]
    call, define = {
        "fish": ("add $HOME/called\n", "function add\n  set -gx PATH $argv[1] $PATH\nend\n"),
        "tcsh": ("", ""),
    }.get(shell, ('add "$HOME/called"\n', 'add() {\n  PATH="$1:$PATH"\n}\n'))
    more = "more" + {"fish": ".fish", "tcsh": ".csh"}.get(shell, ".sh")
    reading = f"source {account.home}/{more}\n" if shell in ("fish", "tcsh") else f". {account.home}/{more}\n"
    account.write(more, "# one\n# two\n" + own.replace("own", "sourced"))
    account.write(file, f"# mine\n{own}{define}{call}{reading}")
    account.tool("weigh-hive")
    account.ush("path", "add", "tools", "--yes")
    report = account.ush("path", "list", "--json").json()["report"]
    by_name = {os.path.basename(one["directory"]): one for one in report["entries"]}
    assert by_name["tools"]["source"] == "the wiring"
    assert (by_name["own"]["file"], by_name["own"]["line"]) == (str(account.home / file), 2)
    assert (by_name["sourced"]["file"], by_name["sourced"]["line"]) == (str(account.home / more), 3)
    if call:
        called = by_name["called"]
        assert called["file"] == str(account.home / file)
        assert called["line"] == {"bash": 7, "zsh": 7, "ksh": 7, "fish": 6}.get(shell, 5), (
            "where it is called, if the shell tells"
        )
    assert by_name["bin"]["source"] == "inherited"
    assert "line 2" in account.ush("path", "list").out


def test_moved_dropped_and_what_answers_instead(account: Account) -> None:
    for folder in ("one", "two", "three"):
        account.tool("weigh-hive", says=folder, folder=folder)
    account.ush("path", "add", "one", "--yes")
    moved = account.ush("path", "add", "two", "--yes")
    assert "weigh-hive changes to ~/two/weigh-hive" in moved.out
    account.ush("path", "add", "three", "--before", "one", "--yes")
    assert account.session("weigh-hive").out == "two\n"
    account.ush("path", "add", "two", "--back", "--yes")
    assert account.session("weigh-hive").out == "three\n"
    dropped = account.ush("path", "drop", "three", "--yes")
    assert "weigh-hive changes to ~/one/weigh-hive" in dropped.out
    assert account.session("weigh-hive").out == "one\n"
    refused = account.ush("path", "drop", "thre", "--yes", code=2)
    assert "is not in the wiring" in refused.err
    assert "Nothing to change" in account.ush("path", "add", "one", "--yes").out
    assert account.session("weigh-hive").out == "one\n"
    account.ush("path", "add", "three", "--yes")
    account.ush("path", "add", "one", "--front", "--yes")
    assert account.session("weigh-hive").out == "one\n"
    assert "Nothing to change" in account.ush("path", "add", "one", "--front", "--yes").out


def test_tidy_puts_off_only_lines_it_is_sure_of(account: Account) -> None:
    lines = [
        "PATH=$HOME/gone:$PATH",
        'export PATH="$PATH:/usr/bin"  # doubled, at the back',
        "PATH=/usr/bin:$PATH",
        "PATH=$HOME/gone2:$HOME/there:$PATH",
        "[ -n x ] && PATH=$HOME/gone3:$PATH",
        'PATH="$PATH:/usr/sbin"',
        "PATH=$HOME/there:$PATH",
        "PATH=$HOME/there:$PATH",
        "PATH=$HOME/once:$PATH",
    ]
    account.write(".bashrc", "\n".join(lines) + "\n")
    # Where the login files read it, the line for `once` is doubled; in an interactive session it is the only one.
    account.write(".profile", ". ~/.bashrc\nPATH=$HOME/once:$PATH\n")
    (account.home / "there").mkdir()
    (account.home / "once").mkdir()
    account.tool("weigh-hive", folder="dead")
    account.ush("path", "add", "dead", "--yes")
    (account.home / "dead/weigh-hive").unlink()
    (account.home / "dead").rmdir()
    before = visible_state(account.home)
    account.ush("path", "tidy", "--yes")
    after = account.home.joinpath(".bashrc").read_text().splitlines()
    put_off = [number for number, line in enumerate(after) if line.startswith("#(ush off) ")]
    assert put_off == [0, 5, 6], after
    assert account.ush("path", "list", "--session", "--json").json()["wiring"] == []
    account.ush("undo", "--yes")
    assert visible_state(account.home) == before


def test_the_block_stands_where_it_runs(account: Account) -> None:
    account.tool("weigh-hive")
    account.write(".bashrc", "case $- in *i*) ;; *) return ;; esac\nalias ll='ls -l'\nreturn\necho never\n")
    account.write(".profile", "true\nexec true # never mind\n".replace("exec true", ": exec"))
    before = visible_state(account.home)
    account.ush("path", "add", "tools", "--yes")
    assert account.session("weigh-hive").out == "here\n"
    text = account.home.joinpath(".bashrc").read_text()
    assert text.index("#(ush) end") < text.index("\nreturn\n")
    account.ush("undo", "--yes")
    assert visible_state(account.home) == before


def test_a_compiled_copy_does_not_hide_the_edit(account: Account) -> None:
    with_shell(account, "zsh")
    account.tool("weigh-hive")
    account.write(".zshrc", "true\n")
    account.run(["zsh", "-f", "-c", "zcompile ~/.zshrc; touch -d '+1 hour' ~/.zshrc.zwc"])
    assert account.home.joinpath(".zshrc.zwc").exists()
    done = account.ush("path", "add", "tools", "--yes")
    assert "a compiled copy" in done.out
    assert account.session("weigh-hive", shell="zsh").out == "here\n"
    account.ush("undo", "--yes")
    assert account.home.joinpath(".zshrc.zwc").exists()


def test_a_name_in_each_kind_of_session(account: Account) -> None:
    account.tool("weigh-hive")
    account.write(".bashrc", "alias ls='ls --color'\nPATH=$PATH:$HOME/tools\n")
    account.write(".profile", "true\n")
    report = account.ush("look", "weigh-hive", "--json", code=1).json()
    states = {one["mode"]: one for one in report["sessions"] if one["shell"] == "bash"}
    assert (states["interactive"]["state"], states["login"]["state"]) == ("ready", "hidden")
    assert "~/.bashrc puts ~/tools on PATH, but is not read here" in states["login"]["why"]
    aliased = account.ush("look", "ls", "--json").json()["sessions"]
    assert [one["why"] for one in aliased if one["mode"] == "interactive"] == ["an alias answers: ls --color"]
    account.write(
        ".local/share/applications/hive.desktop",
        f"[Desktop Entry]\nName=Hive\nExec=env A=b {account.home}/tools/weigh-hive %f\n[Other]\nExec=x\n",
    )
    menu = account.ush("look", "weigh-hive", "--json", code=1).json()["menu"]
    assert [(one["title"], one["starts"]) for one in menu] == [("Hive", True)]
    names = account.ush("look", "weigh*", "--json", more={"PATH": f"{account.home}/tools:/bin"}).json()["items"]
    assert [(one["name"], one["state"]) for one in names] == [("weigh-hive", "ready")]


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["PATH", "x"], "should not be set for every session"),
        (["LD_PRELOAD", "x"], "should not be set for every session"),
        (["1X", "x"], "is not a variable name"),
        (["A-B", "x"], "is not a variable name"),
    ],
)
def test_variables_that_would_break_sessions(account: Account, words: list[str], said: str) -> None:
    done = account.ush("variable", "add", *words, "--yes", code=None)
    assert done.code in (2, 3)
    assert said in done.err
    assert not (account.data / "wiring").exists()


def test_a_module_path_warns_of_what_it_breaks(account: Account) -> None:
    account.write("modules/random.py", "")
    plan = account.ush("path", "add", "modules", "--variable", "PYTHONPATH", "--plan").out
    assert "random.py, which would hide the standard library's" in plan
    refused = account.ush("path", "add", "modules", "--variable", "LUA_PATH", "--yes", code=3)
    assert "joined by ;" in refused.err


@pytest.mark.parametrize("shell", ["bash", "dash", "busybox sh", "ksh", "mksh", "zsh", "fish", "tcsh"])
def test_an_environments_own_wiring_holds_while_it_is_entered(account: Account, shell: str) -> None:
    nasty = 'it\'s $HOME `here` \\ "x"'
    account.tool("weigh-hive", folder="own $(tools)")
    account.tool("other", folder="libs")
    prefix = account.new_environment()
    account.ush("path", "add", "own $(tools)", "-e", "hive", "--yes")
    account.ush("path", "add", "libs", "-e", "hive", "--variable", "R_LIBS_USER", "--yes")
    account.ush("variable", "add", "HIVE_DATA", nasty, "-e", "hive", "--yes")
    assert "Nothing to change" in account.ush("variable", "add", "HIVE_DATA", nasty, "-e", "hive", "--yes").out
    name = {"fish": "enter.fish", "tcsh": "enter.csh"}.get(shell, "enter.sh")
    word = "source" if shell in ("fish", "tcsh") else "."
    show = "/usr/bin/env > {}\n"
    seen = [account.home / f"seen{n}" for n in range(2)]
    script = f"{word} {prefix}/{name}\n{show.format(seen[0])}ush_leave\n{show.format(seen[1])}"
    words = [
        *words_of(shell),
        *({"tcsh": ["-f"], "zsh": ["-f"]}.get(shell, [])),
        str(account.write("script", script)),
    ]
    done = account.run(words, more={"HIVE_DATA": "before"})
    inside, after = (dict(line.split("=", 1) for line in one.read_text().splitlines() if "=" in line) for one in seen)
    tools = f"{account.home}/own $(tools)"
    assert inside["PATH"].split(":")[:2] == [f"{prefix}/bin", tools], done.err
    assert (inside["HIVE_DATA"], inside["R_LIBS_USER"]) == (nasty, f"{account.home}/libs")
    assert (after["PATH"], after["HIVE_DATA"]) == ("/usr/bin:/bin", "before"), done.err
    assert "R_LIBS_USER" not in after
    ran = account.ush("environment", "run", "hive", "--", "sh", "-c", 'echo "$HIVE_DATA|$R_LIBS_USER"; weigh-hive')
    assert ran.out == f"{nasty}|{account.home}/libs\nhere\n"
    assert tools.replace(str(account.home), "~") in account.ush("path", "list", "-e", "hive").out
    assert "value while hive is entered" in account.ush("variable", "list", "-e", "hive").out
    account.ush("path", "drop", "own $(tools)", "-e", "hive", "--yes")
    account.ush("variable", "drop", "HIVE_DATA", "-e", "hive", "--yes")
    account.ush("environment", "run", "hive", "--", "weigh-hive", code=2)
    for _ in range(2):
        account.ush("undo", "--yes")
    assert account.ush("environment", "run", "hive", "--", "weigh-hive").out == "here\n"


def test_a_new_window_of_a_multiplexer_keeps_the_environment_first(account: Account) -> None:
    if shutil.which("tmux") is None:
        pytest.skip("no terminal multiplexer here")
    account.tool("python", folder="own")
    account.write(".bashrc", 'PATH="$HOME/own:$PATH"\n')
    account.write(".profile", ". ~/.bashrc\nPATH=/usr/bin:/bin\n")
    account.tool("weigh-hive")
    account.ush("path", "add", "tools", "--yes")
    prefix = account.new_environment()
    entered = {"USH_ENVIRONMENT": str(prefix), "PATH": f"{prefix}/bin:/usr/bin:/bin", "TERM": "xterm", "TMUX": ""}
    out = account.home / "seen"
    server = ["tmux", "-L", f"ush{os.getpid()}", "-f", "/dev/null"]
    try:
        account.run([*server, "new-session", "-d", "-x", "200", "-y", "50"], more=entered)
        account.run([*server, "send-keys", f"command -v python > {out}.t; mv {out}.t {out}", "Enter"], more=entered)
        end = time.monotonic() + 20
        while not out.exists() and time.monotonic() < end:
            time.sleep(0.05)
        assert out.read_text().strip() == f"{prefix}/bin/python"
    finally:
        account.run([*server, "kill-server"])


@pytest.mark.parametrize("shell", [*SHELLS, "sh"])
def test_conditions_are_tested_by_the_shells_themselves(account: Account, shell: str) -> None:
    with_shell(account, shell)
    host, machine = os.uname().nodename, os.uname().machine
    conditions = {
        "here": f"host:{host}",
        "there": "host:elsewhere",
        "logins": "login",
        "typed": "interactive",
        "made-for": f"architecture:{machine}",
        "not-made-for": "architecture:pdp11",
    }
    for name, when in conditions.items():
        account.tool("weigh-hive", folder=name)
        done = account.ush("path", "add", name, "--when", when, "--yes")
        assert "FAULT" not in done.out
    report = [one for login in ([], ["--login"]) for one in _names(account, *login)]
    if shell == "sh":
        assert set(report) == {"here", "typed", "made-for", "logins"}, "sh reads its file in login sessions only"
    else:
        here = {"here", "typed", "made-for"}
        assert set(report[: len(here)]) == here, report
        assert set(report[len(here) :]) == {*here, "logins"}, report
    refused = account.ush("path", "add", "here", "--when", "host:$(id)", "--yes", code=2)
    assert "is not a condition" in refused.err


def _names(account: Account, *options: str) -> list[str]:
    entries = account.ush("path", "list", *options, "--json").json()["report"]["entries"]
    return [Path(one["directory"]).name for one in entries if one["directory"].startswith(str(account.home))]
