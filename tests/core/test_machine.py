"""The thin layer over the system: programs started, read, bounded."""

import os
import subprocess
import sys
import time
from pathlib import Path

import psutil
import pytest

from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.files.durable import FileMode, replace_file
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.machine.processes import descendants
from unified_shell.core.machine.processes.ending import KILL
from unified_shell.core.machine.processes.processes import run_program
from unified_shell.core.machine.programs.executables import FileKind, read_executable

HOST = read_host({"HOME": "/home/bea", "PATH": "/usr/bin:/bin"})


def _script(path: Path, text: str | bytes, mode: int = 0o755) -> str:
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    path.chmod(mode)
    return str(path)


STARTS: dict[str, tuple[str | bytes, int, bool, str]] = {
    "fine": ("#!/bin/sh\nexit 0\n", 0o755, True, ""),
    "any code counts": ("#!/bin/sh\necho no >&2; exit 3\n", 0o755, True, "no"),
    "126": ("#!/bin/sh\nexit 126\n", 0o755, False, "exit code 126"),
    "signal": ("#!/bin/sh\nkill -SEGV $$\n", 0o755, False, "SIGSEGV"),
    "loader": (
        "#!/bin/sh\necho 'x: error while loading shared libraries: y' >&2; exit 127\n",
        0o755,
        False,
        "shared",
    ),
    "no interpreter": ("#!/no/such\n", 0o755, False, "needs /no/such, which is not there"),
    "CRLF": ("#!/bin/sh\r\nexit 0\r\n", 0o755, False, "which is not there"),
    "empty": ("", 0o755, False, "is an empty file"),
    "text": ("exit 0\n", 0o755, False, "is no program for this machine"),
    "not executable": ("#!/bin/sh\n", 0o644, False, "is not executable"),
    "cut program": (b"\x7fELF\x02\x01\x01" + b"\0" * 9, 0o755, False, "is no program for this machine"),
}


@pytest.mark.parametrize(("text", "mode", "starts", "said"), STARTS.values(), ids=STARTS.keys())
def test_what_starts_and_what_does_not(tmp_path: Path, text: str | bytes, mode: int, starts: bool, said: str) -> None:
    program = _script(tmp_path / "program", text, mode)
    ran = run_program([program], environment={"PATH": "/usr/bin:/bin"}, timeout_seconds=10)
    assert ran.starts is starts
    assert said in ran.trouble
    with pytest.raises(InterpreterUnusable):
        probe(program, HOST)


def test_a_dangling_link_and_a_loop_are_named(tmp_path: Path) -> None:
    (tmp_path / "dangling").symlink_to("nowhere")
    (tmp_path / "loop").symlink_to("loop")
    for name, said in (("dangling", "dangling link"), ("loop", "symbolic links")):
        ran = run_program([str(tmp_path / name)], environment={}, timeout_seconds=5)
        assert said in ran.trouble


def test_a_hanging_program_goes_with_all_its_children(tmp_path: Path) -> None:
    mark = tmp_path / "mark"
    program = _script(tmp_path / "hang", f"#!/bin/sh\n(while :; do date >> {mark}; sleep 0.05; done) &\nsleep 60\n")
    began = time.monotonic()
    ran = run_program([program], environment={"PATH": "/usr/bin:/bin"}, timeout_seconds=0.6)
    assert ran.timed_out
    assert time.monotonic() - began < 5
    size = mark.stat().st_size
    time.sleep(0.3)
    assert mark.stat().st_size == size, "nothing of it lives on"


def test_what_went_off_by_itself_is_found_where_the_system_shows_no_processes(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    variables, mark = descendants.marked({"PATH": "/usr/bin:/bin"})
    words = "import os, time; os.fork() or os.setsid() or time.sleep(60)"
    first = subprocess.Popen([sys.executable, "-c", words], env=variables)
    first.wait()
    monkeypatch.setattr(descendants, "PROC", "/nowhere")
    there = [one.pid for one in psutil.process_iter() if _has_mark(one, mark)]
    assert len(there) == 1
    descendants.end_marked(mark)
    assert not psutil.pid_exists(there[0]) or psutil.Process(there[0]).status() == psutil.STATUS_ZOMBIE


def test_what_went_off_is_found_where_the_numbers_of_processes_began_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(descendants, "_newest_process", lambda: 10**9)
    variables, mark = descendants.marked({"PATH": "/usr/bin:/bin"})
    monkeypatch.undo()
    with subprocess.Popen(["/bin/sleep", "60"], env=variables, start_new_session=True) as started:
        descendants.end_marked(mark)
        assert started.wait(5) == -KILL


@pytest.mark.parametrize("handle", [True, False], ids=["a handle of the process", "none"])
def test_an_end_is_waited_for_with_a_handle_and_without(
    handle: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if not handle:
        monkeypatch.delattr(os, "pidfd_open", raising=False)
    program = _script(tmp_path / "hum", "#!/bin/sh\nsleep $1 && echo hum; exit 3\n")
    ran = run_program([program, "0.15"], environment={"PATH": "/usr/bin:/bin"}, timeout_seconds=20)
    assert (ran.returncode, ran.output, ran.timed_out) == (3, b"hum\n", False)
    assert 0.15 <= ran.elapsed_seconds < 2
    late = run_program([program, "20"], environment={"PATH": "/usr/bin:/bin"}, timeout_seconds=0.2)
    assert (late.returncode, late.output, late.timed_out) == (None, b"", True)


def _has_mark(one: psutil.Process, mark: str) -> bool:
    try:
        return one.environ().get(descendants.MARK) == mark
    except psutil.Error:
        return False


def test_where_no_program_can_be_become_it_is_waited_for(tmp_path: Path) -> None:
    (tmp_path / "hum").write_text("#!/bin/sh\necho $1,$HUM\nkill -INT $PPID\nsleep 0.2\nexit 7\n")
    (tmp_path / "hum").chmod(0o755)
    lines = (
        "from unified_shell.core.machine.processes import exec",
        "from unified_shell.core.machine.path_rules import WINDOWS_RULES",
        "exec.HERE = WINDOWS_RULES",
        f"told = exec.replace_process(['hum', 'a b'], {{'PATH': '{tmp_path}:/bin', 'HUM': '1'}})",
        "print(type(told).__name__)",
    )
    done = subprocess.run([sys.executable, "-c", "\n".join(lines)], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout, done.stderr) == (7, "a b,1\n", "")
    absent = "\n".join(lines).replace("['hum'", "['no-such'")
    assert subprocess.run([sys.executable, "-c", absent], capture_output=True, text=True, check=False).stdout == (
        "FileNotFoundError\n"
    )


def test_a_child_that_lives_on_does_not_hold_us_up(tmp_path: Path) -> None:
    program = _script(tmp_path / "leaves", "#!/bin/sh\nsleep 30 &\necho done\n")
    ran = run_program([program], environment={"PATH": "/usr/bin:/bin"}, timeout_seconds=20)
    assert (ran.output, ran.elapsed_seconds < 5) == (b"done\n", True)


@pytest.mark.parametrize(
    ("file", "function", "work"),
    [
        ("subprocess.py", "_wait", "program"),
        ("ending.py", "wait", "program"),
        ("threading.py", "wait", "pause"),
        ("interrupts.py", "wait_unless_interrupted", "pause"),
    ],
)
def test_an_interrupt_at_any_moment_of_a_wait_ends_it(file: str, function: str, work: str) -> None:
    script = Path(__file__).parents[1] / "support" / "interrupted.py"
    done = subprocess.run([sys.executable, script, file, function, work], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    said = {line.split(maxsplit=1)[1] for line in done.stdout.splitlines()}
    assert said <= {"interrupted", "never came"}
    assert file == "threading.py" or "interrupted" in said


def test_a_replaced_file_keeps_its_mode_or_stays_whole(tmp_path: Path) -> None:
    path = tmp_path / "file"
    path.write_text("before")
    replace_file(str(path), b"after", FileMode(bits=0o640), beside=str(tmp_path / ".new"))
    assert (path.read_text(), path.stat().st_mode & 0o777) == ("after", 0o640)
    (tmp_path / "folder").mkdir()
    with pytest.raises(OSError, match="folder"):
        replace_file(str(tmp_path / "folder"), b"x", FileMode(), beside=str(tmp_path / ".new"))
    assert not (tmp_path / ".new").exists()


def test_own_programs_are_told_from_others() -> None:
    facts = read_executable(os.path.realpath("/bin/sh"))
    assert (facts.kind, facts.word_size_bits) == (FileKind.ELF, HOST.word_size_bits)
    assert facts.architecture == HOST.architecture
    assert os.path.exists(facts.interpreter), "its loader"


@pytest.mark.parametrize(
    ("variables", "data"),
    [
        ({}, "/home/bea/.local/share/unified-shell"),
        ({"XDG_DATA_HOME": "/data"}, "/data/unified-shell"),
        ({"XDG_DATA_HOME": "relative"}, "/home/bea/.local/share/unified-shell"),
        ({"USH_HOME": "/lab/ush", "XDG_DATA_HOME": "/data"}, "/lab/ush/data"),
    ],
    ids=["plain", "XDG", "relative is ignored", "all of it"],
)
def test_where_things_are(variables: dict[str, str], data: str) -> None:
    assert locations_of(read_host({"HOME": "/home/bea", **variables})).data == data
