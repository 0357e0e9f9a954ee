"""What is written for shells, read by real ones: nothing is executed, each entry is there once, in its place."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from support.nasty import HOME, NASTY
from support.shells import words_of
from unified_shell.core.errors import Refused
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.processes import variables_as_given
from unified_shell.core.machine.session import SHELLS
from unified_shell.core.shells.dialects.dialect import (
    ConditionKind,
    Dialect,
    Mode,
    SearchPath,
    SessionContent,
    SetVariable,
    Side,
)
from unified_shell.core.shells.dialects.posix import PosixText
from unified_shell.core.shells.dialects.table import BASH, DIALECTS, dialect_named
from unified_shell.core.shells.sessions import session_questions, sessions
from unified_shell.core.shells.sessions.sessions import open_session
from unified_shell.core.shells.wiring.wiring import Wiring, check_directory_name, read_wiring, wiring_file

# Each dialect with the words that run a file in it, and nothing but the file.
RUNNERS = {
    "bash": ("bash", "--noprofile"),
    "sh": ("dash",),
    "busybox": ("busybox", "sh"),
    "ksh": ("ksh",),
    "mksh": ("mksh",),
    "zsh": ("zsh", "-f"),
    "fish": ("fish", "--no-config"),
    "tcsh": ("tcsh", "-f"),
}


def test_every_dialect_s_programs_are_known_as_shells_of_a_session() -> None:
    assert {program for dialect in DIALECTS for program in dialect.programs} <= set(SHELLS)
    endings = [ending for dialect in DIALECTS for ending in dialect.script_endings]
    assert len(endings) == len(set(endings)), "an ending tells one dialect"


def _dialect(shell: str) -> Dialect:
    return dialect_named("sh" if shell == "busybox" else shell)


def _runner(shell: str) -> list[str]:
    first, *rest = RUNNERS[shell]
    return [*words_of(first), *rest]


def _session_text(shell: str, front: list[str], back: list[str], variable: str = "PATH") -> str:
    paths = tuple(
        SearchPath(variable=variable, side=side, directories=tuple(Place(one) for one in directories))
        for side, directories in ((Side.FRONT, front), (Side.BACK, back))
        if directories
    )
    values = tuple(SetVariable(name=f"HIVE_{n}", value=name) for n, name in enumerate(NASTY))
    content = SessionContent(
        search_paths=paths, variables=values, home=Place(HOME), source="~/wiring/me.toml", stamp="0123456789ab"
    )
    return _dialect(shell).session_text(content)


def _variables_after(
    shell: str, script: str, folder: Path, start: str, more: dict[str, str] | None = None
) -> dict[str, str]:
    file = folder / "script"
    # Only what a child sees counts: cp copies its own environment.
    ending = f"\n/bin/cp /proc/self/environ {folder}/environ\n"
    file.write_bytes((script + ending).encode("utf-8", "surrogateescape"))
    variables = {"HOME": HOME, "PATH": start, "LANG": "C.UTF-8", **(more or {})}
    words = [*_runner(shell), str(file)]
    done = subprocess.run(words, env=variables, cwd=folder, capture_output=True, timeout=20, check=False)
    assert done.returncode == 0, done.stderr
    assert not done.stderr, done.stderr
    assert not (folder / "executed").exists(), "a directory's name was executed"
    pairs = dict(one.split(b"=", 1) for one in (folder / "environ").read_bytes().split(b"\0") if b"=" in one)
    return {os.fsdecode(name): os.fsdecode(value) for name, value in pairs.items()}


def _path_after(shell: str, script: str, folder: Path, start: str, more: dict[str, str] | None = None) -> list[str]:
    return _variables_after(shell, script, folder, start, more)["PATH"].split(":")


@pytest.mark.parametrize("shell", RUNNERS)
@pytest.mark.parametrize(
    ("start", "rest"),
    [
        ("/usr/bin:/bin", ["/usr/bin", "/bin"]),
        ("/it's:/usr/bin:/*:/bin:/plain", ["/usr/bin", "/bin"]),
        ("/usr/bin:/plainer:/plai:/bin", ["/usr/bin", "/plainer", "/plai", "/bin"]),
    ],
    ids=["absent", "torn", "look-alikes"],
)
def test_nasty_names_stand_once_in_their_order(shell: str, start: str, rest: list[str], tmp_path: Path) -> None:
    front, back = NASTY[::2], NASTY[1::2]
    text = _session_text(shell, front, back)
    expected = [*front, *rest, *back]
    once = _path_after(shell, text, tmp_path, start)
    assert once == expected
    # Ten nested sessions do not grow it; an entered environment stays in front of all.
    assert _path_after(shell, text * 10, tmp_path, ":".join(once)) == expected
    entered = _path_after(shell, text, tmp_path, f"{start}:/env/bin", {"USH_ENVIRONMENT": "/env"})
    assert entered == ["/env/bin", *expected]
    again = _path_after(shell, text, tmp_path, ":".join(entered), {"USH_ENVIRONMENT": "/env"})
    assert again == ["/env/bin", *expected]
    if shell not in ("fish", "tcsh"):
        assert _path_after(shell, f"set -eu\n{text}", tmp_path, start) == expected
    values = _variables_after(shell, text, tmp_path, start)
    assert [values[f"HIVE_{n}"] for n in range(len(NASTY))] == NASTY
    assert values["USH_WIRING"] == "0123456789ab"


@pytest.mark.parametrize("shell", RUNNERS)
@pytest.mark.parametrize("before", [None, "/old", "/it's:/old"], ids=["unset", "set", "there"])
def test_other_search_paths_leave_no_empty_entry(shell: str, before: str | None, tmp_path: Path) -> None:
    front = ["/first", "/it's", "/with space"]
    text = _session_text(shell, front, [], variable="PYTHONPATH")
    more = {} if before is None else {"PYTHONPATH": before}
    found = _variables_after(shell, text * 2, tmp_path, "/usr/bin:/bin", more)["PYTHONPATH"].split(":")
    if shell != "tcsh" or before != "/it's:/old":
        assert found == [*front, *(["/old"] if before else [])]
    assert all(found.count(one) == 1 for one in front)
    assert "" not in found


@pytest.mark.parametrize("shell", [name for name in RUNNERS if name != "busybox"])
def test_quoted_text_is_one_word(shell: str, tmp_path: Path) -> None:
    dialect = _dialect(shell)
    quoted = " ".join(dialect.quote(name) for name in NASTY)
    file = tmp_path / "script"
    file.write_bytes(os.fsencode(f"/usr/bin/printf '%s\\0' {quoted}\n"))
    done = subprocess.run(
        [*_runner(shell), str(file)],
        env={"HOME": str(tmp_path), "LANG": "C.UTF-8", "PATH": "/usr/bin:/bin"},
        capture_output=True,
        cwd=tmp_path,
        check=True,
    )
    assert [os.fsdecode(one) for one in done.stdout.split(b"\0")[:-1]] == NASTY


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    front=st.lists(st.sampled_from(["/a", "/b", "/c", "/a b", "/x"]), unique=True, min_size=1, max_size=4),
    start=st.lists(st.sampled_from(["/a", "/b", "/c", "/a b", "/usr/bin", "/ab", "/a/b"]), max_size=6),
    nested=st.booleans(),
)
def test_front_entries_are_a_block_however_torn(
    front: list[str], start: list[str], tmp_path: Path, *, nested: bool
) -> None:
    more = {"USH_WIRING": "0123456789ab"} if nested else {}
    text, path = _session_text("sh", front, []), ":".join(start) or "/bin"
    found = _variables_after("sh", text, tmp_path, path, more)["PATH"].split(":")
    if nested and f":{':'.join(front)}:" in f":{':'.join(start)}:":
        assert found == start, "where they stand together in a session that read the wiring, nothing is touched"
        return
    assert found[: len(front)] == front, "they are in front, also where they were inherited further back"
    assert all(found.count(one) == 1 for one in front)
    at = found.index(front[0])
    assert found[at : at + len(front)] == front, "they stand together, in order"
    others = [one for one in (start or ["/bin"]) if one not in front]
    assert [one for one in found if one not in front] == others, "the others are as they were"


def test_a_colon_cannot_stand_in_a_path() -> None:
    with pytest.raises(Refused, match="a colon separates"):
        check_directory_name("/a:b")


def test_wiring_is_read_as_it_was_wanted(tmp_path: Path) -> None:
    data = Place(str(tmp_path))
    locations = Locations(config=data, data=data, cache=data)
    wiring = Wiring()
    for name in NASTY:
        wiring = wiring.with_entry("PATH", name, Side.FRONT)
    wiring = wiring.with_entry("PATH", "/last", Side.BACK).with_entry("PATH", NASTY[0], Side.FRONT)
    from unified_shell.core.changes.steps import PutRecord

    for one in wiring.entries:
        PutRecord(path=wiring_file(locations), keys=one.keys, before="", after=one.value_text).carry_out()
    read = read_wiring(locations)
    assert read.search_paths() == wiring.search_paths()
    assert read.stamp() == wiring.stamp()
    assert read.search_paths()[0].directories[0] == NASTY[0], "what was added last stands in front"


# What startup files do to whoever wants to read a session's environment; each must not keep us from it.
OBSTACLES = {
    "noisy": "echo hello; echo there >&2; printf '\\033]0;title\\007'\n",
    "failing": "false\n",
    "closed": "exec 2>/dev/null\n",
    "asking": "read -r answer\n",
    "only in a terminal": "[ -t 0 ] || return\n",
    "trap": "trap 'echo bye' EXIT\n",
    "alias": "alias cp=false mv=false\n",
    "broken path": "PATH=/nowhere\n",
}


@pytest.mark.posix
@pytest.mark.parametrize("startup", OBSTACLES.values(), ids=OBSTACLES.keys())
@pytest.mark.parametrize("mode", Mode, ids=lambda mode: mode.value)
def test_a_new_session_is_read_in_spite_of_its_startup_files(startup: str, mode: Mode, tmp_path: Path) -> None:
    for name in (".bashrc", ".profile"):
        (tmp_path / name).write_text(f"{startup}FOUND=1; export FOUND\n")
    host = read_host({"HOME": str(tmp_path), "SHELL": "/bin/bash", "PATH": "/usr/bin:/bin"})
    session = open_session(BASH, mode, host, ask=lambda file: f"echo answered > {file}")
    assert not session.trouble
    assert dict(session.variables).get("FOUND") == "1"
    assert session.answer == "answered\n"


@pytest.mark.posix
def test_sessions_side_by_side_answer_in_their_order_and_one_that_hangs_takes_none_s_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sessions, "TIMEOUT_SECONDS", 1.5)
    (tmp_path / ".profile").write_text("sleep 60\n")
    # More than a terminal holds for whom nobody reads.
    (tmp_path / ".bashrc").write_text(
        "head -c 300000 /dev/zero | tr '\\0' x\n"
        "export FOUND=$((FOUND + 1)) OPEN=$(ls -l /proc/$$/fd | grep -c ptmx)\n"
    )
    host = read_host({"HOME": str(tmp_path), "SHELL": "/bin/bash", "PATH": "/usr/bin:/bin"})
    modes = [Mode.LOGIN, *[Mode.INTERACTIVE] * 3]
    with sessions.SideBySide([sessions.BegunSession(BASH, mode, host) for mode in modes]) as begun:
        hangs, *others = begun.results()
    assert "no prompt was reached" in hangs.trouble
    assert [(one.mode, one.trouble) for one in others] == [(Mode.INTERACTIVE, "")] * 3
    # Each reads its file once, and has no end of another's terminal open.
    assert [(dict(one.variables)["FOUND"], dict(one.variables)["OPEN"]) for one in others] == [("1", "0")] * 3


@pytest.mark.posix
def test_a_session_that_ends_itself_is_said_to(tmp_path: Path) -> None:
    (tmp_path / ".bashrc").write_text("exit 3\n")
    host = read_host({"HOME": str(tmp_path), "SHELL": "/bin/bash", "PATH": "/usr/bin:/bin"})
    assert open_session(BASH, Mode.INTERACTIVE, host).trouble
    assert not open_session(dialect_named("sh"), Mode.LOGIN, host).trouble


@pytest.mark.posix
@pytest.mark.parametrize("shell", ["bash", "zsh", "fish", "sh", "ksh", "mksh", "tcsh"])
@pytest.mark.parametrize("perl", ["/usr/bin/perl", "/nowhere"], ids=["perl", "python"])
def test_a_session_is_read_where_the_system_shows_no_processes(
    shell: str, perl: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    dialect = dialect_named(shell)
    host = read_host(
        {"HOME": str(tmp_path), "SHELL": "/bin/bash", "PATH": "/usr/bin:/bin", "HUM": "a\nb=c 'é'", "ENV": ""}
    )
    told = open_session(dialect, Mode.INTERACTIVE, host)
    monkeypatch.setattr(variables_as_given, "has_proc", lambda: False)
    monkeypatch.setattr(session_questions, "has_proc", lambda: False)
    monkeypatch.setattr(variables_as_given, "PERL", perl)
    assert variables_as_given.writing_words()[0] in (perl, sys.executable)
    without = open_session(dialect, Mode.INTERACTIVE, host)
    assert not without.trouble
    # Each session has a name of its own for its terminal, and counts itself.
    own = ("_", "SSH_TTY", "TTY", "SHLVL", "WINDOWID")
    first, second = ({name: value for name, value in one.variables if name not in own} for one in (told, without))
    assert second == first
    # The system tells what it was called, which a link may be.
    assert os.path.realpath(str(shutil.which(without.answered_by))) == told.answered_by


def test_conditions_hold_without_the_files_of_linux(tmp_path: Path) -> None:
    machine, name = os.uname().machine, os.uname().nodename
    for shell in ("bash", "zsh", "sh", "ksh", "mksh"):
        dialect = dialect_named(shell)
        assert isinstance(dialect, PosixText)
        for kind, value, holds in (
            (ConditionKind.HOST, name, True),
            (ConditionKind.HOST, "elsewhere", False),
            (ConditionKind.ARCHITECTURE, machine, True),
            (ConditionKind.ARCHITECTURE, "aarch64", machine in ("aarch64", "arm64")),
        ):
            test = dialect.condition(kind, dialect.quote(value)).replace("/proc/sys/", "/nowhere/")
            (tmp_path / "ask").write_text(f"if {test}; then echo yes; else echo no; fi\n")
            program = next(filter(None, map(shutil.which, dialect.programs)))
            done = subprocess.run([program, tmp_path / "ask"], capture_output=True, text=True, check=False)
            assert (done.stdout, done.stderr) == ("yes\n" if holds else "no\n", ""), (shell, kind, value)
