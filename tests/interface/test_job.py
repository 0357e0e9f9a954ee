"""The job from end to end, as its users do it: the installed `ush`, real files, real shells."""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, USH, Account, visible_state
from support.shells import POSIX_SHELLS, words_of
from support.suggestions import step_text
from support.wheels import wheel
from unified_shell.demo.study import make_study_index


def test_a_package_is_got_verified_used_and_undone(apiary: Account) -> None:
    before = visible_state(apiary.home)
    got = apiary.ush("package", "get", "swarmcast>=1", "-e", "hive", "--yes")
    assert "swarmcast 1.2.0 requires hivehum>=2" in got.out, "a plan says who asks for what"
    assert "waggle-io as waggle" in got.out
    site = next(apiary.environment().glob("lib/python3.*/site-packages"))
    info = site / "swarmcast-1.2.0.dist-info"
    assert (info / "INSTALLER").read_text() == "unified-shell\n"
    assert (info / "REQUESTED").exists()
    assert not (site / "combgraph-1.0.2.dist-info" / "REQUESTED").exists()
    rows = {row.rpartition(",sha")[0] or row.split(",")[0] for row in (info / "RECORD").read_text().splitlines()}
    assert "../../../bin/swarmcast" in rows
    assert all(os.path.exists(site / row) for row in rows), "every recorded file is there"
    assert any(site.glob("swarmcast/__pycache__/*.pyc")), "it is byte-compiled"
    sampled = apiary.ush("environment", "run", "hive", "--", "swarmcast", "recordings", "--sample")
    assert "linden" in sampled.out
    verified = apiary.ush("verify", "hive", "--json").json()
    questions = [one["question"] for one in verified["targets"][0]["findings"]]
    assert "import waggle" in questions
    assert "command swarmcast launches" in questions
    assert all(one["verdict"] == "passed" for one in verified["targets"][0]["findings"])
    apiary.ush("undo", "--yes")
    assert visible_state(apiary.home) == {**before, **_recordings(apiary.home)}
    apiary.ush("undo", "3", "--yes", code=2)
    apiary.ush("undo", "4", "--yes")
    assert "linden" in apiary.ush("environment", "run", "hive", "--", "swarmcast", "recordings").out


def _recordings(home: Path) -> dict[str, str]:
    return {name: digest for name, digest in visible_state(home).items() if name.startswith("recordings/")}


def test_an_environment_is_complete_and_its_own(account: Account) -> None:
    prefix = account.new_environment("field work")
    config = dict(line.split(" = ", 1) for line in (prefix / "pyvenv.cfg").read_text().splitlines())
    assert config["home"] == os.path.dirname(BASE_PYTHON)
    assert config["include-system-site-packages"] == "false"
    asked = "import sys, sysconfig, site; print(sys.prefix, sys.base_prefix != sys.prefix, *site.getsitepackages())"
    told = account.ush("environment", "run", "field work", "--", "python", "-c", asked).out.strip()
    assert told.startswith(f"{prefix} True {prefix}/lib/python3.")
    shown = account.ush("environment", "show", "field work").out
    assert "none yet" in shown
    account.ush("environment", "drop", "field work", "--yes")
    assert not prefix.exists()
    account.ush("environment", "run", "field work", "--", "python", code=2)
    account.ush("undo", "--yes")
    assert account.ush("environment", "run", "field work", "--", "python", "-c", "print(6*7)").out == "42\n"


@pytest.mark.parametrize("shell", [*POSIX_SHELLS, "fish"])
def test_enter_scripts_enter_and_leave(apiary: Account, shell: str) -> None:
    apiary.ush("package", "get", "swarmcast", "-e", "hive", "--yes")
    prefix = apiary.environment()
    script = prefix / ("enter.fish" if shell == "fish" else "enter.sh")
    lines = f"source {script}; source {script}" if shell == "fish" else f". {script}; . {script}"
    line = f"{lines}; command -v swarmcast; echo $PATH; ush_leave; echo $PATH; echo ${{USH_ENVIRONMENT-none}}"
    if shell == "fish":
        line = line.replace("${USH_ENVIRONMENT-none}", "(set -q USH_ENVIRONMENT; and echo some; or echo none)")
        line = line.replace("echo $PATH", "string join : $PATH")
    done = apiary.run([*words_of(shell), "-c", line])
    expected = [f"{prefix}/bin/swarmcast", f"{prefix}/bin:/usr/bin:/bin", "/usr/bin:/bin", "none"]
    assert done.out.splitlines() == expected, done.err


def test_a_directory_is_wired_once_in_every_kind_of_session(account: Account) -> None:
    account.tool("weigh-hive", folder="my $(tools) 'here'")
    account.write(".bashrc", "alias ll='ls -l'\n# no newline at the end")
    before = visible_state(account.home)
    added = account.ush("path", "add", "my $(tools) 'here'", "--yes")
    assert "Done, as change 1" in added.out
    for shell, login in (("bash", False), ("bash", True), ("sh", True)):
        done = account.session("weigh-hive; echo $PATH", shell=shell, login=login)
        assert done.out.splitlines()[0] == "here", (shell, login, done)
        assert done.out.splitlines()[1].count("tools") == 1
    again = account.ush("path", "add", str(account.home / "my $(tools) 'here'"), "--yes")
    assert "Nothing to change" in again.out
    stale = account.ush("look", "weigh-hive", "--json", code=1).json()
    assert stale["state"] == "stale"
    account.write(".bashrc", account.home.joinpath(".bashrc").read_text() + "\nexport SINCE=1\n")
    account.ush("undo", "--yes")
    kept = account.home.joinpath(".bashrc").read_text()
    assert kept == "alias ll='ls -l'\n# no newline at the end\n\nexport SINCE=1\n", "a later line stays"
    account.write(".bashrc", "alias ll='ls -l'\n# no newline at the end")
    assert visible_state(account.home) == before


def test_wiring_follows_links_and_hides_no_login_file(account: Account) -> None:
    real = account.write("dotfiles/bashrc", "true\n", 0o600)
    account.home.joinpath(".bashrc").symlink_to("dotfiles/bashrc")
    account.write(".bash_profile", "true\n")
    account.write(".profile", "true\n")
    account.ush("shell", "wire", "bash", "--yes")
    assert account.home.joinpath(".bashrc").is_symlink()
    assert "#(ush)" in real.read_text()
    assert real.stat().st_mode & 0o777 == 0o600
    assert "#(ush)" in account.home.joinpath(".bash_profile").read_text(), "the login file that bash reads"
    assert account.home.joinpath(".profile").read_text() == "true\n", "the one that is hidden is left alone"
    rows = account.ush("shell", "list", "--json").json()["files"]
    hidden = [row for row in rows if row["path"].endswith(".profile") and row["shell"] == "bash"]
    assert [row["is_read"] for row in hidden] == [False]
    account.ush("shell", "unwire", "--yes")
    assert real.read_text() == "true\n"
    account.ush("undo", "--yes")
    assert "#(ush)" in real.read_text()


def test_a_new_login_file_is_the_one_that_hides_none(account: Account) -> None:
    account.ush("shell", "wire", "--yes")
    assert sorted(path.name for path in account.home.glob(".*rofile")) == [".profile"]
    account.ush("undo", "--yes")
    assert not list(account.home.glob(".*rofile")), "a file made for the hook-up goes with it"


@pytest.mark.parametrize(
    ("startup", "said"),
    [
        ("if [ -r x ]; then\n", "has a syntax error"),
        ("cat <<END\nopen\n", "ends inside a here-document"),
    ],
    ids=["a mistake", "an open here-document"],
)
def test_a_startup_file_whose_end_never_runs_is_refused(account: Account, startup: str, said: str) -> None:
    account.tool("weigh-hive")
    account.write(".bashrc", startup)
    before = visible_state(account.home)
    assert said in account.ush("path", "add", "tools", "--yes", code=3).err
    assert visible_state(account.home) == before


def test_an_edit_that_breaks_new_sessions_is_put_back(account: Account) -> None:
    account.tool("weigh-hive")
    # Whoever watches for our lines and dies of them stands for all that an edit can break.
    watch = 'grep -q "#(us[h])" ~/.bashrc && { echo "no such lines here" >&2; exit 3; }\n'
    account.write(".bashrc", watch)
    before = visible_state(account.home)
    done = account.ush("path", "add", "tools", "--yes", code=5)
    assert "put back" in done.err
    assert visible_state(account.home) == before
    assert "put back" in account.ush("journal").out


def test_undo_to_the_beginning_leaves_startup_files_byte_for_byte(account: Account, study: Path) -> None:
    contents = {".bashrc": b"caf\xe9=1\r\nlast line", ".profile": b"", ".bash_login": b"\n\n"}
    for name, content in contents.items():
        account.write(name, content)
    account.tool("one", folder="a")
    account.tool("two", folder="b")
    before = visible_state(account.home)
    account.ush("path", "add", "a", "--yes")
    account.ush("path", "add", "b", "--back", "--yes")
    account.ush("shell", "wire", "sh", "--yes")
    account.ush("shell", "unwire", "bash", "--yes")
    account.ush("index", "add", "apiary", study, "--yes")
    account.new_environment()
    account.ush("package", "get", "combgraph", "-e", "hive", "--yes")
    account.ush("interpreter", "adopt", BASE_PYTHON, "--name", "mine", "--yes")
    refused = account.ush("undo", "1", "--yes", code=3)
    assert "later changes build on change 1" in refused.err
    for _ in range(8):
        account.ush("undo", "--yes")
    account.ush("undo", "--yes", code=2)
    assert visible_state(account.home) == before
    assert {name: (account.home / name).read_bytes() for name in contents} == contents


def test_undo_through_takes_back_what_builds_on_it(account: Account) -> None:
    account.tool("one", folder="a")
    account.tool("two", folder="b")
    before = visible_state(account.home)
    account.ush("path", "add", "a", "--yes")
    account.ush("path", "add", "b", "--yes")
    account.ush("path", "drop", "a", "--yes")
    account.ush("path", "add", "a", "--front", "--yes")
    after = visible_state(account.home)
    plan = account.ush("undo", "1", "--through", "--plan").out
    assert "4 changes: 4, 3, 2 and 1" in plan, "one plan says them all"
    assert all(f"change {number} " in plan for number in (1, 2, 3, 4))
    done = account.ush("undo", "1", "--through", "--yes").out
    assert visible_state(account.home) == before
    assert "change 5" in done, "one change"
    account.ush("undo", "5", "--yes")
    assert visible_state(account.home) == after
    account.ush("undo", "1", "--through", "--yes")
    assert visible_state(account.home) == before


def test_undo_through_follows_environments_and_those_that_build_on_them(apiary: Account) -> None:
    before = visible_state(apiary.home)
    apiary.ush("environment", "new", "other", "--interpreter", BASE_PYTHON, "--yes")
    apiary.ush("package", "get", "combgraph", "-e", "other", "--yes")
    apiary.ush("package", "get", "waggle-io", "-e", "other", "--yes")
    apiary.ush("environment", "drop", "other", "--yes")
    apiary.ush("environment", "new", "other", "--interpreter", BASE_PYTHON, "--yes")
    after = visible_state(apiary.home)
    assert "Undo 5 changes" in apiary.ush("undo", "3", "--through", "--yes").out
    assert visible_state(apiary.home) == before
    apiary.ush("undo", "8", "--yes")
    assert visible_state(apiary.home) == after
    apiary.ush("package", "get", "combgraph", "-e", "other", "--yes")
    apiary.ush("verify", "other")


def test_an_edited_block_is_not_undone(account: Account) -> None:
    account.ush("shell", "wire", "bash", "--yes")
    bashrc = account.home / ".bashrc"
    bashrc.write_text(bashrc.read_text().replace("if [ -r", "if [ -e"))
    done = account.ush("undo", "--yes", code=3)
    assert "was edited since" in done.err
    assert "if [ -e" in bashrc.read_text()


def test_look_tells_states_apart(apiary: Account) -> None:
    apiary.ush("package", "get", "swarmcast", "-e", "hive", "--yes")
    apiary.tool("ls", folder="front")
    apiary.tool("broken-tool", folder="front").write_text("#!/no/such/interpreter\n")
    apiary.home.joinpath("front/dangling").symlink_to("nowhere")
    apiary.home.joinpath("front/foreign").write_bytes(_elf_for_another_machine())
    apiary.home.joinpath("front/foreign").chmod(0o755)
    apiary.tool("hidden-tool", folder=".local/bin")
    front = {"PATH": f"{apiary.home}/front:/usr/bin:/bin"}
    expected = {
        "ls": ("ready", 0),
        "swarmcast": ("hidden", 1),
        "hidden-tool": ("hidden", 1),
        "broken-tool": ("broken", 1),
        "dangling": ("broken", 1),
        "foreign": ("mismatched", 1),
        "no-such-tool": ("absent", 1),
    }
    for name, (state, code) in expected.items():
        report = apiary.ush("look", name, "--json", code=code, more=front).json()
        assert report["state"] == state, report
        assert report["schema"] == 1
    candidates = apiary.ush("look", "ls", "--json", more=front).json()["candidates"]
    assert [one["state"] for one in candidates[:2]] == ["ready", "shadowed"]
    assert "ush environment run hive -- swarmcast" in apiary.ush("look", "swarmcast", code=1).out
    place = apiary.ush("look", "front", code=1, more=front)
    assert "absent" in place.out, "a bare name is a command"
    place_report = apiary.ush("look", "./front", "--json", more=front).json()
    assert (place_report["position"], "ls" in place_report["commands"]) == (1, True)


def _elf_for_another_machine() -> bytes:
    head = bytearray(64)
    head[:6] = b"\x7fELF\x02\x01"
    head[18:20] = (22).to_bytes(2, "little")  # s390x
    return bytes(head)


def test_look_at_the_machine_shows_faults_and_broken_interpreters(account: Account) -> None:
    account.tool("hidden-tool", folder=".local/bin")
    bad = account.home / "bad"
    bad.mkdir(mode=0o777)
    bad.chmod(0o777)
    (bad / "python3.77").symlink_to("nowhere")
    account.write("bad/python3.78", "#!/bin/sh\nexec sleep 60\n", 0o755)
    account.write("bad/python3.79", f'#!/bin/sh\nexec {BASE_PYTHON} "$@"\n', 0o755)
    search = f"{bad}:/usr/bin:/bin:/nowhere:relative::/usr/bin:~/bin:/etc/passwd"
    seen = account.ush("look", "--json", more={"PATH": search}).json()
    kinds = {(one["directory"], one["kind"].split(":")[0]) for one in seen["path_faults"]}
    assert kinds >= {
        (str(bad), "can be written by others"),
        ("/nowhere", "is not there"),
        ("relative", "is relative"),
        ("", "is empty"),
        ("/usr/bin", "is there twice"),
        ("~/bin", "holds a literal ~, which programs do not expand"),
        ("/etc/passwd", "is not a directory"),
    }
    assert str(account.home / ".local/bin") in seen["unreached"]
    found = {one["names"][0].rsplit("/", 1)[-1]: one for one in seen["interpreters"]}
    assert found["python3.77"]["trouble"] == "is a dangling link"
    assert "did not end within" in found["python3.78"]["trouble"]
    assert found["python3.79"]["script"]
    assert found["python3.79"]["facts"]["real_executable"] == BASE_PYTHON
    text = account.ush("look", more={"PATH": search}).out
    assert "Next: ush path list" in text, "its faults come first"


def test_an_old_interpreter_is_refused_as_a_base(account: Account) -> None:
    facts = account.ush("interpreter", "list", "--json", more={"PATH": f"{account.home}/old:/usr/bin:/bin"}).json()
    template = next(one["facts"] for one in facts["found"] if one["facts"])
    told = {**template, "version": [3, 7, 2], "full_version": "3.7.2", "libc": ["glibc", 2, 36]}
    line = "@@USH-FACTS@@ " + json.dumps({**told, "environment_prefix": ""})
    account.write("old/python3.7", f"#!/bin/sh\ncat <<'E'\n\n{line}\nE\n", 0o755)
    done = account.ush("environment", "new", "hive", "--interpreter", "old/python3.7", "--yes", code=4)
    assert "too old for an environment" in done.err


def test_an_interpreter_is_adopted_used_and_forgotten(account: Account) -> None:
    account.ush("interpreter", "adopt", BASE_PYTHON, "--name", "mine", "--yes")
    assert "Nothing to change" in account.ush("interpreter", "adopt", BASE_PYTHON, "--yes").out
    account.ush("environment", "new", "hive", "--interpreter", "mine", "--yes")
    dropped = account.ush("interpreter", "drop", "mine", "--yes")
    assert "environment hive still works" in dropped.out
    asked = account.environment() / "bin/python"
    refused = account.ush("interpreter", "adopt", asked, "--yes", code=3)
    assert "belongs to the environment" in refused.err
    assert account.ush("interpreter", "list", "--json").json()["adopted"] == []


def test_packages_are_dropped_with_what_came_along(apiary: Account) -> None:
    apiary.ush("package", "get", "swarmcast", "combgraph", "-e", "hive", "--yes")
    site = next(apiary.environment().glob("lib/python3.*/site-packages"))
    (site / "notes.txt").write_text("mine")
    refused = apiary.ush("package", "drop", "hivehum", "-e", "hive", "--yes", code=3)
    assert "hivehum is needed by swarmcast 1.2.0" in refused.err
    dropped = apiary.ush("package", "drop", "swarmcast", "-e", "hive", "--yes").out
    assert "carried over" in dropped
    assert "notes.txt" in dropped
    names = [one["name"] for one in apiary.ush("package", "list", "-e", "hive", "--json").json()["items"]]
    assert names == ["combgraph"]
    site = next(apiary.environment().glob("lib/python3.*/site-packages"))
    assert (site / "notes.txt").read_text() == "mine"
    assert not (site / "swarmcast").exists()


def test_verify_names_cause_and_remedy_of_each_fault(apiary: Account, tmp_path: Path) -> None:
    wheels = tmp_path / "more"
    wheel(wheels, "crashing", files={"crashing.py": b"import os, signal\nos.kill(os.getpid(), signal.SIGSEGV)\n"})
    wheel(wheels, "needing", files={"needing.py": b"import nothing_of_that_name\n"})
    wheel(wheels, "failing", files={"failing.py": b"raise RuntimeError('no bees')\n"})
    wheel(wheels, "launching", commands=["launching = launching:gone"])
    apiary.ush("index", "add", "more", wheels, "--yes")
    done = apiary.ush(
        "package", "get", "crashing", "needing", "failing", "launching", "swarmcast", "-e", "hive", "--yes", code=1
    )
    assert "FAULT" in done.out
    assert "ush undo" in done.out
    site = next(apiary.environment().glob("lib/python3.*/site-packages"))
    (site / "combgraph-1.0.2.dist-info/METADATA").write_text("Metadata-Version: 2.1\nName: combgraph\nVersion: 0.9\n")
    (site / "waggle/__init__.py").unlink()
    (apiary.environment() / "bin/hivehum").unlink()
    found = apiary.ush("verify", "hive", "--json", code=1).json()["targets"][0]["findings"]
    faults = {(one["subject"], one["question"]): one for one in found if one["verdict"] == "fault"}
    expected = {
        ("crashing", "import crashing"): "SIGSEGV",
        ("needing", "import needing"): "it needs the module nothing_of_that_name",
        ("failing", "import failing"): "no bees",
        ("launching", "command launching launches"): "gone",
        ("combgraph", "is version 1.0.2, as recorded"): "0.9",
        ("hivehum", "command hivehum launches"): "its launcher is not there",
        ("hivehum", "import hivehum"): None,
    }
    for key, answer in expected.items():
        if answer is None:
            assert key not in faults, "a package that is whole is not blamed"
        else:
            assert answer in faults[key]["answer"], faults.get(key)
            assert faults[key]["remedy"]
    apiary.ush("environment", "drop", "hive", "--yes")
    assert apiary.ush("verify", "--json").json()["targets"] == []


def test_strict_puts_back_what_does_not_import(apiary: Account, tmp_path: Path) -> None:
    wheel(tmp_path / "more", "failing", files={"failing.py": b"raise RuntimeError('no bees')\n"})
    apiary.ush("index", "add", "more", tmp_path / "more", "--yes")
    before = visible_state(apiary.home)
    done = apiary.ush("package", "get", "failing", "-e", "hive", "--yes", "--strict", code=5)
    assert "no bees" in done.err
    assert visible_state(apiary.home) == before


def test_an_index_is_served_in_both_forms(account: Account, tmp_path: Path) -> None:
    make_study_index(str(tmp_path / "wheels"))
    server = subprocess.Popen(
        [USH, "index", "serve", str(tmp_path / "wheels")], stdout=subprocess.PIPE, env=account.variables, text=True
    )
    try:
        assert server.stdout is not None
        address = server.stdout.readline().rsplit(" at ", 1)[-1].strip()
        account.ush("index", "add", "apiary", address, "--yes")
        account.new_environment()
        got = account.ush("package", "get", "swarmcast", "-e", "hive", "--yes").out
        assert "fetch    4 files" in got or "fetch  4 files" in got
        assert not list((account.home / ".cache/unified-shell/wheels").glob("*/*.part"))
        nearest = account.ush("package", "get", "swarmcost", "-e", "hive", "--yes", code=4)
        assert "no index has swarmcost (asked: apiary)" in nearest.err
    finally:
        server.terminate()
        server.wait()
    # What is there needs no index that answers; what is not there does.
    there = account.ush("package", "get", "hivehum", "-e", "hive", "--yes")
    assert "4 unchanged" in there.out
    gone = account.ush("package", "get", "no-such", "-e", "hive", "--yes", code=4)
    assert "connection refused" in gone.err
    assert gone.err.count("\n") <= 3


def test_the_demo_plays_to_its_end_offline(account: Account) -> None:
    home = account.home / "scratch"
    outside = visible_state(account.home)
    # A proxy that answers nothing: any use of a network would show.
    nowhere = {"http_proxy": "http://127.0.0.1:9", "https_proxy": "http://127.0.0.1:9"}
    done = account.run([sys.executable, "-m", "unified_shell", "demo", "--keep", str(home)], more=nowhere)
    assert done.code == 0, done.out + done.err
    for words in (
        "swarmcast: hidden",
        "this machine has all of it",
        "hivehum/__init__.py of hivehum was edited",
        ": all passed",
        "hive clover: 41.5 kg",
        "linden",
        f"scratch home is {home}",
    ):
        assert words in done.out
    assert "not as it should be" not in done.out
    left = {name for name in visible_state(account.home) if not name.startswith("scratch/")}
    assert left == set(outside)
    account.ush("demo", "--keep", home, code=3)


def test_why_a_package_is_there_and_newer_ones(apiary: Account, tmp_path: Path) -> None:
    own = tmp_path / "own"
    wheel(own, "bee", "1.0", requires=["wax<2"])
    wheel(own, "wax", "1.0")
    apiary.ush("index", "drop", "apiary", "--yes")
    apiary.ush("index", "add", "own", own, "--yes")
    apiary.write("needs.txt", "bee\n")
    apiary.ush("package", "get", "--file", "needs.txt", "-e", "hive", "--yes")
    chains = apiary.ush("package", "why", "wax", "-e", "hive", "--json").json()["chains"]
    assert chains == [{"asked": "bee", "steps": ["bee 1.0 requires wax<2"]}]
    wheel(own, "wax", "1.5")
    wheel(own, "wax", "2.0")
    assert "nothing to change" in apiary.ush("package", "get", "bee", "-e", "hive", "--yes").out.lower()
    got = apiary.ush("package", "refresh", "wax", "-e", "hive", "--yes")
    assert "wax 1.0 → 1.5" in got.out, "the newest that fits, not the newest"
    assert "already up to date" in apiary.ush("package", "refresh", "-e", "hive", "--yes").out
    apiary.ush("undo", "--yes")
    assert "1.0" in apiary.ush("package", "list", "-e", "hive").out


def test_the_source_the_day_and_the_oldest_can_be_chosen(apiary: Account, tmp_path: Path) -> None:
    """The first index has a younger bee; a tie, a day or the request for the oldest lead past it."""
    one, two = tmp_path / "one", tmp_path / "two"
    for folder, version, year in ((one, "1.0", 2020), (one, "2.0", 2024), (two, "9.0", 2020)):
        path = wheel(folder, "bee", version)
        moment = time.mktime((year, 5, 1, 9, 0, 0, 0, 0, 0))
        os.utime(path, (moment, moment))
    apiary.ush("index", "add", "one", one, "--yes")
    apiary.ush("index", "add", "two", two, "--yes")

    def got(*words: str) -> str:
        plan = apiary.ush("package", "get", "bee", "-e", "hive", "--plan", "--json", *words).json()
        versions: list[str] = [line["fields"]["version"] for line in plan["lines"] if line["about"] == "package"]
        return " ".join(versions)

    assert got() == "2.0"
    assert got("--lowest") == "1.0"
    assert got("--as-of", "2023-12-31") == "1.0"
    assert got("--from", "two") == "9.0"
    none = apiary.ush("package", "get", "bee", "-e", "hive", "--as-of", "2019-01-01", code=4)
    assert "was published later (2024-05-01)" in none.err
    assert "is not a date" in apiary.ush("package", "get", "bee", "-e", "hive", "--as-of", "May", code=2).err
    assert (
        "no index named 'three'" in apiary.ush("package", "get", "bee", "-e", "hive", "--from", "three", code=2).err
    )
    apiary.ush("package", "get", "bee", "-e", "hive", "--from", "two", "--yes")
    assert "already up to date" in apiary.ush("package", "refresh", "-e", "hive", "--yes").out, "the tie stays"
    apiary.ush("undo", "--yes")
    assert got() == "2.0", "and goes with the change"


def test_an_interpreter_is_chosen_for_packages_and_wheels_are_carried(apiary: Account, tmp_path: Path) -> None:
    wheels = tmp_path / "odd"
    wheel(wheels, "old-bee", "1.0", tag="cp27-none-win32")
    wheel(wheels, "bee", "1.0", requires=["waggle-io"])
    apiary.ush("index", "add", "odd", wheels, "--yes")
    none = apiary.ush("environment", "new", "x", "--supported-by", "old-bee", code=4)
    assert "its wheels are for cp27 on win32" in none.err
    refused = apiary.ush("package", "get", "old-bee", "-e", "hive", code=4)
    assert "is not published for this kind of machine" in refused.err
    wheel(wheels, "older-bee", "1.0", tag="cp27-none-any")
    refused = apiary.ush("package", "get", "older-bee", "-e", "hive", code=4)
    assert "--supported-by older-bee" in refused.err
    made = apiary.ush("environment", "new", "x", "--supported-by", "bee", "--yes")
    assert "Create the environment x on Python 3" in made.out
    apiary.write("needs.txt", "bee\n")
    assert "2 files" in apiary.ush("index", "copy", "carry", "--file", "needs.txt").out
    assert "0 files" in apiary.ush("index", "copy", "carry", "bee").out
    for name in ("odd", "apiary"):
        apiary.ush("index", "drop", name, "--yes")
    apiary.ush("index", "add", "carried", "carry", "--yes")
    apiary.ush("package", "get", "bee", "-e", "x", "--yes")


def test_a_part_that_wants_more_than_is_required_is_told_apart_from_a_broken_one(
    apiary: Account, tmp_path: Path
) -> None:
    own = tmp_path / "own"
    files = {
        "bee.py": b"def go(): pass\n",
        "bee_extra.py": b"try:\n    import honey9\nexcept ImportError as e:\n    raise ImportError('get honey') from e\n",
        "bee_broken.py": b"import json.nothing9\n",
    }
    commands = ["bee-extra = bee_extra:go", "bee-broken = bee_broken:go"]
    wheel(own, "bee", "1.0", commands=commands, files=files)
    wheel(own, "wasp", "1.0", requires=["wing"], files={"wasp.py": b"x = 1\n"})
    wheel(own, "wing", "1.0", files={"wing.py": b"import honey9\n"})
    needy = {"mead.py": b"import honey9\n", "mead_more.py": files["bee_extra.py"]}
    extra = ["honey9>=1; extra == 'sweet'"]
    wheel(own, "mead", "1.0", files=needy, requires=extra, extras=["sweet"])
    apiary.ush("index", "add", "own", own, "--yes")
    apiary.ush("package", "get", "bee", "wasp", "mead", "-e", "hive", "--yes", code=1)
    found = apiary.ush("verify", "hive", "--json", code=1).json()["targets"][0]["findings"]
    answers = {one["question"]: (one["verdict"], one["answer"]) for one in found}
    assert answers["command bee-extra launches"] == ("not tried", "only with honey9, which nothing here requires")
    assert answers["import wing"][0] == "not tried", "it came along, and says what it would need"
    assert answers["command bee-broken launches"][0] == "fault", "a part of something that is there is no option"
    assert answers["import bee_extra"][0] == "fault", "what was asked for must import"
    assert answers["import mead_more"] == ("not tried", "only with honey9, which mead[sweet] provides")
    (wants,) = [one for one in found if one["question"] == "import mead"]
    assert (wants["verdict"], step_text(wants["remedy"])) == ("fault", "ush package get 'mead[sweet]' -e hive")


def test_byte_code_that_a_wheel_brings_is_made_anew(apiary: Account, tmp_path: Path) -> None:
    tag = sys.implementation.cache_tag
    files = {
        "bee/__init__.py": b"x = 1\n",
        f"bee/__pycache__/__init__.{tag}.pyc": b"old",
        "bee/__pycache__/y.pyc": b"old",
    }
    wheel(tmp_path / "own", "bee", "1.0", files=files)
    apiary.ush("index", "add", "own", tmp_path / "own", "--yes")
    apiary.ush("package", "get", "bee", "-e", "hive", "--yes")
    site = next(apiary.environment().glob("lib/python3.*/site-packages"))
    assert not [path for path in site.glob("bee/__pycache__/*") if path.read_bytes() == b"old"]
    assert "y.pyc" not in (site / "bee-1.0.dist-info/RECORD").read_text()


def test_an_environment_that_cannot_be_read_is_told_and_in_nobodys_way(apiary: Account) -> None:
    apiary.new_environment("spoilt")
    told = apiary.environment("spoilt") / "environment.json"
    told.write_text("{")
    listed = apiary.ush("environment", "list")
    assert "hive" in listed.out
    assert "spoilt/environment.json cannot be read" in listed.out
    apiary.ush("package", "get", "combgraph", "-e", "hive", "--yes")
    found = apiary.ush("verify", "--json", code=1).json()["targets"]
    (fault,) = [one for each in found for one in each["findings"] if one["verdict"] == "fault"]
    assert step_text(fault["remedy"]).startswith("ush environment drop spoilt")
    assert "ush environment drop spoilt" in apiary.ush("environment", "show", "spoilt", code=4).err
    apiary.ush("store", "show")
    apiary.ush("environment", "drop", "spoilt", "--yes")
    apiary.ush("verify")
    apiary.ush("undo", "--yes")
    assert told.read_text() == "{"


def test_a_preferred_command_builds_on_the_environment_that_has_it(apiary: Account) -> None:
    apiary.ush("package", "get", "hivehum", "-e", "hive", "--yes")
    apiary.ush("command", "prefer", "hivehum", "hive", "--yes")
    refused = apiary.ush("undo", "2", "--yes", code=3).err
    assert "command prefer hivehum hive" in refused
    apiary.ush("undo", "2", "--through", "--yes")
    assert not apiary.ush("command", "list", "--json").json()["choices"]
    assert not apiary.environment().exists()
