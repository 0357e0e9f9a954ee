"""Interpreters and commands as they are got, preferred and dropped: the installed `ush` on real files."""

import functools
import http.server
import os
import shutil
import subprocess
import threading
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, Account, visible_state
from support.interpreters import archive_of, catalog_of, lua_tree, script_tree, source_tree
from support.suggestions import step_text
from support.wheels import wheel

LUA_SOURCE = os.environ.get("USH_TEST_LUA_SOURCE", "")


def test_a_ready_archive_is_freed_wired_used_and_dropped(account: Account, tmp_path: Path) -> None:
    built = lua_tree(tmp_path / f"far{' away' * 30}")
    (built / "share/absolute").unlink()
    archive = archive_of(built, tmp_path / "lua-5.4.9.tar.xz")
    shutil.rmtree(built)
    before = visible_state(account.home)
    got = account.ush("interpreter", "get", archive, "--front", "--yes")
    assert "lua" in got.out
    assert "environment new" not in got.out, "it is no Python"
    prefix = account.data / "interpreters/lua-5.4.9"
    assert account.session("lua prefix").out == f"{prefix}\n"
    found = account.ush("interpreter", "list", "--json").json()
    assert [(one["name"], one["version"], one["form"]) for one in found["kept"]] == [
        ("lua-5.4.9", "5.4.9", "archive")
    ]
    assert [one["version"] for one in found["others"] if str(prefix) in one["names"][0]] == ["5.4.9"]
    ready = account.ush("interpreter", "get", "lua", "5.4.9", "--yes")
    assert "is ready" in ready.out
    again = account.ush("interpreter", "get", archive, "--yes", code=3)
    assert "there is an interpreter named lua-5.4.9 already" in again.err
    account.ush("interpreter", "drop", "lua-5.4.9", "--yes")
    assert not prefix.exists()
    account.ush("undo", "--yes")
    assert account.session("lua prefix").out == f"{prefix}\n"
    account.ush("undo", "1", "--yes")
    assert visible_state(account.home) == before


def test_a_folder_is_copied_and_a_catalog_describes(account: Account, tmp_path: Path) -> None:
    short = account.ush("interpreter", "get", lua_tree(tmp_path / "x"), "--name", "copied", "--yes", code=4)
    assert "has its place compiled in" in short.err
    here = lua_tree(tmp_path / f"here{'x' * 120}")
    account.ush("interpreter", "get", here, "--name", "copied", "--yes")
    shutil.rmtree(here)
    assert subprocess.run([account.data / "interpreters/copied/bin/lua"], check=False).returncode == 0
    archive = archive_of(script_tree(tmp_path / "lua", "5.5.1"), tmp_path / "lua.tar.gz")
    account.ush("catalog", "add", "apiary", catalog_of(tmp_path / "catalog", archive, version="5.5.1"), "--yes")
    assert "Hums (MIT)" in account.ush("catalog", "show", "apiary").out
    assert "licence: MIT" in account.ush("interpreter", "get", "lua", ">=5.5", "--yes").out
    assert (account.data / "interpreters/lua-5.5.1").is_dir()
    archive.write_bytes(archive.read_bytes() + b"\0")
    account.ush("interpreter", "drop", "lua-5.5.1", "--yes")
    shutil.rmtree(account.home / ".cache/unified-shell/archives")
    changed = account.ush("interpreter", "get", "lua", ">=5.5", "--yes", code=4)
    assert "is not what was promised" in changed.err
    nothing = account.ush("interpreter", "get", "lua", "9.1", "--yes", code=4)
    assert "no catalog describes lua 9.1" in nothing.err


def test_licences_and_files_fetched_by_hand(account: Account, tmp_path: Path) -> None:
    archive = archive_of(script_tree(tmp_path / "lua", "5.6.0"), tmp_path / "lua.tar.gz")
    folder = catalog_of(
        tmp_path / "catalog", archive, 'asks-acceptance = true\ntext = "Feed the bees."\n', version="5.6.0"
    )
    account.ush("catalog", "add", "apiary", folder, "--yes")
    refused = account.ush("interpreter", "get", "lua", "5.6", "--yes", code=3)
    assert "Feed the bees." in refused.err
    account.ush("interpreter", "get", "lua", "5.6", "--accept", "lua", "--yes")
    account.ush("interpreter", "drop", "lua-5.6.0", "--yes")
    account.ush("interpreter", "get", "lua", "5.6", "--yes")
    account.ush("interpreter", "drop", "lua-5.6.0", "--yes")
    text = (folder / "lua.toml").read_text()
    by_hand = "\n".join('by-hand = "sign in first"' if line.startswith("url") else line for line in text.splitlines())
    (folder / "lua.toml").write_text(by_hand)
    told = account.ush("interpreter", "get", "lua", "5.6", "--yes", code=3)
    assert "sign in first" in told.err
    assert "--archive lua.tar.gz" in told.err
    shutil.copy(archive, account.home)
    account.ush("interpreter", "get", "lua", "5.6", "--archive", "lua.tar.gz", "--yes")


def test_a_described_source_is_built_and_a_failing_one_leaves_nothing(account: Account, tmp_path: Path) -> None:
    good = archive_of(source_tree(tmp_path / "lua-src"), tmp_path / "src.tar.gz")
    account.ush(
        "catalog", "add", "apiary", catalog_of(tmp_path / "one", good, kind="source", version="5.4.7"), "--yes"
    )
    built = account.ush("interpreter", "get", "lua", "5.4.7", "--yes")
    assert "built here from source" in built.out
    assert (
        subprocess.run([account.data / "interpreters/lua-5.4.7/bin/lua"], capture_output=True, check=True).stdout
        == b"Lua 5.4.7\n"
    )
    bad = archive_of(source_tree(tmp_path / "bad-src", breaks=True), tmp_path / "bad.tar.gz")
    account.ush("catalog", "drop", "apiary", "--yes")
    account.ush(
        "catalog", "add", "apiary", catalog_of(tmp_path / "two", bad, kind="source", version="5.4.8"), "--yes"
    )
    before = visible_state(account.home)
    failed = account.ush("interpreter", "get", "lua", "5.4.8", "--yes", code=4)
    assert "the queen is missing" in failed.err
    assert visible_state(account.home) == before
    assert not list((account.data / "staging").iterdir())
    account.more["PATH"] = str(tmp_path)
    alone = account.ush("interpreter", "get", "lua", "5.4.8", "--yes", code=4)
    assert "there is no C compiler here" in alone.err


def test_the_running_python_is_packed_and_stands_alone_in_another_home(tmp_path: Path, study: Path) -> None:
    if os.path.dirname(os.path.dirname(BASE_PYTHON)) in ("/usr", "/usr/local"):
        pytest.skip("the Python that runs the tests shares its prefix with the system")
    original = Path(BASE_PYTHON).parent.parent
    copied = tmp_path / "copied by hand"
    large = shutil.ignore_patterns(
        "site-packages", "test", "tests", "__pycache__", "config-*", "idlelib", "*.a", "include"
    )
    shutil.copytree(original, copied, symlinks=True, ignore=large)
    next(copied.glob("lib/python3.*/os.py")).with_name("site-packages").mkdir()
    one, two = Account(tmp_path / "one"), Account(tmp_path / "bee keeper's home")
    one.home.mkdir()
    two.home.mkdir()
    one.ush("interpreter", "pack", copied / "bin" / Path(BASE_PYTHON).name, "-o", "python.tar.gz")
    got = two.ush("interpreter", "get", one.home / "python.tar.gz", "--name", "mine", "--yes")
    assert "2 of 2 checks passed" in got.out
    shutil.rmtree(copied)
    prefix = two.data / "interpreters/mine"
    python = prefix / "bin" / Path(BASE_PYTHON).name
    asked = (
        "import sys, ssl, sqlite3, ctypes, lzma, sysconfig\n"
        "maps = [line.split()[-1] for line in open('/proc/self/maps') if ' /' in line]\n"
        f"print([one for one in maps if one.startswith('{original}')])\n"
        f"print([k for k, v in sysconfig.get_config_vars().items() if '{original}' in str(v)])\n"
        "print(sys.prefix)\n"
    )
    told = two.run([str(python), "-I", "-c", asked])
    assert told.out == f"[]\n[]\n{prefix}\n", told.err
    config = prefix / "bin" / f"{Path(BASE_PYTHON).name}-config"
    if config.exists():
        assert two.run([str(config), "--prefix"]).out == f"{prefix}\n", "a blank does not cut it"
    linked, other_home = tmp_path / "opt", Account(tmp_path / "linked home")
    linked.symlink_to(prefix.parent)
    other_home.home.symlink_to(two.home)
    for name, account, which in (
        ("combs", two, linked / "mine/bin" / Path(BASE_PYTHON).name),
        ("comb", other_home, linked / "mine/bin" / Path(BASE_PYTHON).name),
        ("queen", other_home, "mine"),
    ):
        account.ush("environment", "new", name, "--interpreter", which, "--yes")
        account.ush("verify", name)
        assert f"environment {name}" in account.ush("interpreter", "drop", "mine", "--yes", code=3).err
    if os.getuid() == 0:
        hidden = f"mount -t tmpfs none '{original}' && exec \"{python}\" -I -c 'import ssl, sqlite3; print(1)'"
        assert two.run(["unshare", "-m", "sh", "-c", hidden]).out == "1\n"
    two.ush("environment", "new", "hive", "--interpreter", "mine", "--yes")
    assert "all passed" in two.ush("verify", "hive", "mine").out
    needed = two.ush("interpreter", "drop", "mine", "--yes", code=3)
    assert "environment hive" in needed.err
    _undone_only_with_what_stands_on_it(two, study)


def _undone_only_with_what_stands_on_it(account: Account, study: Path) -> None:
    account.ush("index", "add", "apiary", study, "--yes")
    account.ush("package", "get", "combgraph", "-e", "hive", "--yes")
    account.ush("environment", "copy", "hive", "copied", "--yes")
    account.ush("command", "get", "swarmcast", "--interpreter", "mine", "--yes")
    refused = account.ush("undo", "1", "--yes", code=3).err
    for later in ("environment new hive", "environment copy hive copied", "command get swarmcast"):
        assert later in refused, "it stands on the interpreter, too"
    account.ush("undo", "1", "--through", "--yes")
    assert not (account.data / "interpreters/mine").exists()
    assert not account.environment("copied").exists()
    assert not (account.data / "commands/swarmcast").exists()


@pytest.mark.skipif(not LUA_SOURCE, reason="USH_TEST_LUA_SOURCE names no source archive of Lua")
def test_the_real_lua_is_built_in_a_home_with_a_space(tmp_path: Path) -> None:
    account = Account(tmp_path / "bee keeper's home")
    account.home.mkdir()
    account.ush("interpreter", "get", LUA_SOURCE, "--name", "lua", "--front", "--yes")
    prefix = account.data / "interpreters/lua"
    (prefix / "share/lua/5.4").mkdir(parents=True, exist_ok=True)
    (prefix / "share/lua/5.4/hive.lua").write_text("return 'hums'")
    assert account.session("lua -e 'print((require(\"hive\")))'").out == "hums\n"
    looked = account.ush("look", "lua", "--json", code=None).json()
    assert {one["file"] for one in looked["sessions"] if one["shell"] == "bash"} == {f"{prefix}/bin/lua"}


def _foreign(at: Path) -> None:
    tree = script_tree(at.parent / "f")
    (tree / "bin/luac").unlink()
    (tree / "bin/lua").write_bytes(b"\x7fELF\x02\x01\x01" + b"\0" * 9 + b"\x02\0\xb7\0" + b"\0" * 100)
    archive_of(tree, at)


def _windows(at: Path) -> None:
    (at.parent / "w").mkdir()
    (at.parent / "w" / "python.exe").write_bytes(b"MZ")
    archive_of(at.parent / "w", at)


def _silent(at: Path) -> None:
    tree = script_tree(at.parent / "s")
    (tree / "bin/lua").write_text("#!/bin/sh\nexit 3\n")
    archive_of(tree, at)


BAD = {
    "no archive": (lambda at: at.write_bytes(b"<html>not found</html>" * 40), 4, "is not an archive"),
    "empty file": (lambda at: at.write_bytes(b""), 4, "is an empty file"),
    "truncated": (
        lambda at: at.write_bytes(archive_of(script_tree(at.parent / "t"), at.parent / "t.tar.gz").read_bytes()[:-9]),
        4,
        "damaged",
    ),
    "no interpreter": (
        lambda at: archive_of(source_tree(at.parent / "docs"), at.parent / "a.tar.gz"),
        4,
        "neither a known source",
    ),
    "another machine": (_foreign, 4, "another kind of machine: program for aarch64"),
    "for Windows": (_windows, 4, "made for Windows"),
    "does not start": (_silent, 4, "does not start"),
}


@pytest.mark.parametrize(("make", "code", "said"), BAD.values(), ids=BAD.keys())
def test_bad_input_changes_nothing(account: Account, tmp_path: Path, make: object, code: int, said: str) -> None:
    archive = tmp_path / "a.tar.gz"
    make(archive)  # type: ignore[operator]
    before = visible_state(account.home)
    done = account.ush("interpreter", "get", archive, "--yes", code=code)
    assert said in done.err
    assert done.err.count("\n") <= 6
    assert visible_state(account.home) == before


def test_too_small_a_disk_is_known_before_anything_starts(account: Account, tmp_path: Path) -> None:
    archive = archive_of(script_tree(tmp_path / "lua"), tmp_path / "lua.tar.gz")
    folder = catalog_of(tmp_path / "catalog", archive, version="5.7.0")
    (folder / "lua.toml").write_text((folder / "lua.toml").read_text() + '\n[needs]\ndisk = "9000 TB"\n')
    account.ush("catalog", "add", "apiary", folder, "--yes")
    assert "needs about 9000.0 TB" in account.ush("interpreter", "get", "lua", "5.7", "--yes", code=4).err


def test_names_are_preferred_as_a_unit_and_given_back(apiary: Account, tmp_path: Path) -> None:
    one, two = script_tree(tmp_path / "one", "5.1.1"), script_tree(tmp_path / "two", "5.2.2")
    before = visible_state(apiary.home)
    plan = apiary.ush("command", "prefer", "lua", one / "bin/lua", "--yes")
    assert "luac: " in plan.out, "what belongs to an interpreter comes with it"
    assert apiary.session("lua; luac").out == "Lua 5.1.1\nLua 5.1.1\n"
    apiary.ush("command", "prefer", "luac", two / "bin/luac", "--yes")
    assert apiary.session("lua; luac").out == "Lua 5.1.1\nLua 5.2.2\n"
    apiary.ush("command", "prefer", "lua", two / "bin/lua", "--yes")
    assert apiary.session("lua; luac").out == "Lua 5.2.2\nLua 5.2.2\n"
    (two / "bin/lua-new").write_text("#!/bin/sh\necho new\n")
    (two / "bin/lua-new").chmod(0o755)
    apiary.ush("command", "refresh", "lua", "--yes")
    assert apiary.session("lua-new").out == "new\n"
    apiary.ush("command", "prefer", "python", "hive", "--yes")
    asked = "python -c 'import sys; print(sys.prefix)'"
    assert apiary.session(asked).out == f"{apiary.environment()}\n", "the environment's own, not its base"
    apiary.ush("command", "drop", "python", "--yes")
    assert apiary.session(asked).out != f"{apiary.environment()}\n"
    for _ in range(6):
        apiary.ush("undo", "--yes")
    assert visible_state(apiary.home) == before
    assert "is not an executable file" in apiary.ush("command", "prefer", "lua", tmp_path, code=2).err


def test_a_command_is_got_refreshed_and_dropped(account: Account, tmp_path: Path) -> None:
    wheels = tmp_path / "wheels"
    wheel(
        wheels,
        "hive-tool",
        "1.0",
        commands=["hivetool = hive_tool:go", "bee = hive_tool:go"],
        files={"hive_tool.py": b"def go():\n    print('one')\n"},
    )
    account.ush("index", "add", "own", wheels, "--yes")
    before = visible_state(account.home)
    wrong = account.ush(
        "command", "get", "honey", "--from", "hive-tool", "--interpreter", BASE_PYTHON, "--yes", code=4
    )
    assert "it provides: bee, hivetool" in wrong.err
    account.ush("command", "get", "hivetool", "--from", "hive-tool", "--interpreter", BASE_PYTHON, "--yes")
    assert account.session("hivetool; bee").out == "one\none\n"
    assert "no environment yet" in account.ush("environment", "list").out, "its environment is hidden"
    assert "already the newest" in account.ush("command", "refresh", "hivetool", "--yes").out
    wheel(
        wheels,
        "hive-tool",
        "2.0",
        commands=["hivetool = hive_tool:go", "wax = hive_tool:go"],
        files={"hive_tool.py": b"def go():\n    print('two')\n"},
    )
    account.ush("command", "refresh", "hivetool", "--yes")
    assert account.session("hivetool; wax; command -v bee").out == "two\ntwo\n"
    account.ush("command", "drop", "hivetool", "--yes")
    assert account.session("command -v hivetool").out == ""
    account.ush("undo", "--yes")
    assert account.session("hivetool").out == "two\n"
    for _ in range(2):
        account.ush("undo", "--yes")
    assert visible_state(account.home) == before


def test_what_depends_on_an_interpreter_is_named_before_it_goes(account: Account, tmp_path: Path) -> None:
    account.ush("interpreter", "get", script_tree(tmp_path / "mine"), "--yes")
    account.ush("command", "prefer", "lua", "mine", "--yes")
    needed = account.ush("interpreter", "drop", "mine", "--yes", code=3)
    assert "needed by: the preferred name lua" in needed.err
    account.ush("interpreter", "drop", "mine", "--even-if-needed", "--yes")


def test_a_module_is_looked_for_everywhere(apiary: Account) -> None:
    apiary.ush("package", "get", "waggle-io", "-e", "hive", "--yes")
    looked = apiary.ush("look", "module:waggle", "--json", code=1).json()
    assert looked["state"] == "hidden"
    assert [(one["owner"], one["state"]) for one in looked["holders"]] == [("environment hive", "ready")]
    assert "ush environment run hive -- python -c 'import waggle'" in step_text(looked["remedy"])
    by_project = apiary.ush("look", "waggle-io", code=1)
    assert "imported as: waggle" in by_project.out
    site = next(apiary.environment().glob("lib/python3.*/site-packages"))
    (site / "wax.cpython-27-x86_64-linux-gnu.so").write_bytes(b"")
    assert apiary.ush("look", "module:wax", "--json", code=1).json()["holders"][0]["state"] == "mismatched"
    (site / "wasp.py").write_text("import queen_that_is_not_there\n")
    wasp = apiary.ush("look", "wasp", "--json", code=1).json()["module"]["holders"][0]
    assert (wasp["state"], "queen_that_is_not_there" in wasp["why"]) == ("broken", True)
    assert apiary.ush("look", "module:json").code == 0


def test_an_archive_at_an_address_is_known_again(account: Account, tmp_path: Path) -> None:
    archive = archive_of(script_tree(tmp_path / "lua-5.8.0", "5.8.0"), tmp_path / "lua-5.8.0.tar.gz")
    handler = functools.partial(http.server.SimpleHTTPRequestHandler, directory=str(tmp_path))
    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_address[1]}/{archive.name}"
        plan = account.ush("interpreter", "get", address, "--plan")
        assert "its SHA-256 is recorded" in plan.out
        account.ush("interpreter", "get", address, "--yes")
        account.ush("interpreter", "drop", "lua-5.8.0", "--yes")
        assert "its SHA-256 is compared" in account.ush("interpreter", "get", address, "--plan").out
        archive_of(script_tree(tmp_path / "other", "5.8.1"), archive)
        shutil.rmtree(account.home / ".cache/unified-shell/archives")
        assert "is not what was promised" in account.ush("interpreter", "get", address, "--yes", code=4).err
        wrong = account.ush("interpreter", "get", address, "--sha256", "0" * 64, "--name", "x", "--yes", code=4)
        assert "is not what was promised" in wrong.err
        gone = account.ush("interpreter", "get", address.replace("lua", "gone"), "--yes", code=4)
        assert "no such file" in gone.err
        server.shutdown()


def test_what_others_share_is_not_packed(apiary: Account) -> None:
    own = apiary.environment() / "bin/python"
    assert "belongs to the environment" in apiary.ush("interpreter", "pack", own, code=3).err
    if Path("/usr/bin/python3").exists():
        system = apiary.ush("interpreter", "pack", "/usr/bin/python3", code=3)
        assert "shares /usr with the rest of the system" in system.err
    if os.path.dirname(os.path.dirname(BASE_PYTHON)) != "/usr":
        named = apiary.ush("interpreter", "pack", BASE_PYTHON, "-o", "python.bees", code=2)
        assert "has no known archive suffix" in named.err


@pytest.mark.skipif(os.getuid() != 0, reason="writing system-wide files needs rights")
def test_an_interpreter_for_everyone_is_found_by_everyone(account: Account, tmp_path: Path) -> None:
    root = tmp_path / "root"
    (root / "etc").mkdir(parents=True)
    for folder in (*tmp_path.parents, tmp_path, root):
        if folder.stat().st_uid == os.getuid() and folder != Path("/"):
            folder.chmod(folder.stat().st_mode | 0o055)
    account.more["USH_ROOT"] = str(root)
    tree = script_tree(tmp_path / "queen", "5.9.1")
    account.ush("interpreter", "get", tree, "--for", "everyone", "--front", "--yes")
    placed = root / "opt/unified-shell/data/interpreters/queen"
    assert placed.is_dir()
    assert f"{placed}/bin" in (root / "opt/unified-shell/data/wiring/session.sh").read_text()
    listed = account.ush("interpreter", "list", "--json").json()
    assert [one["name"] for one in listed["kept"]] == ["queen"]
    account.ush("undo", "--for", "everyone", "--yes")
    assert not placed.exists()


def test_candidates_of_a_name_are_listed_with_the_one_decided_on(account: Account, tmp_path: Path) -> None:
    tree = script_tree(tmp_path / "one", "5.1.1")
    account.tool("lua-here", folder="bin")
    account.ush("command", "prefer", "lua", tree / "bin/lua", "--yes")
    names = account.ush("command", "list", "lua*", "--json").json()
    by_name = {one["name"]: one for one in names["names"]}
    assert by_name["lua-here"]["candidates"] == [str(account.home / "bin/lua-here")]
    assert [one["names"] for one in names["choices"]] == [["lua", "luac"]]
    assert "decided on" not in account.ush("command", "list", "lua-h*").out
    assert account.ush("command", "list", "no-such-bee*", code=1).out.startswith("no-such-bee*: 0 names")
    strange = account.data / "commands" / "wasp"
    strange.write_text("mine")
    account.write("bin/wasp", "#!/bin/sh\n", 0o755)
    refused = account.ush("command", "prefer", "wasp", account.home / "bin/wasp", "--yes", code=3)
    assert "was not put there by ush" in refused.err
    assert strange.read_text() == "mine"


def test_the_checks_of_a_description_are_run(account: Account, tmp_path: Path) -> None:
    archive = archive_of(script_tree(tmp_path / "lua", "5.5.5"), tmp_path / "lua.tar.gz")
    checks = (
        '[[check]]\ncommand = ["luac", "-v"]\nversion = ">=5"\n'
        '[[check]]\ncommand = ["lua", "-v"]\nversion = ">=6"\n[[check]]\ncommand = ["no-such-bee"]\n'
    )
    account.ush("catalog", "add", "apiary", catalog_of(tmp_path / "c", archive, checks, version="5.5.5"), "--yes")
    got = account.ush("interpreter", "get", "lua", "5.5.5", "--yes", code=1)
    assert "2 of 4 checks passed" in got.out, "what does not hold is told, and the change stands"
    assert "it says 5.5.5, not >=6" in got.out
    assert (account.data / "interpreters/lua-5.5.5").is_dir()


def test_one_of_another_language_is_packed_and_stands_alone_elsewhere(account: Account, tmp_path: Path) -> None:
    tree = script_tree(tmp_path / "queen", "5.4.9")
    account.ush("interpreter", "get", tree, "--name", "queen", "--yes")
    packed = account.ush("interpreter", "pack", "queen", "-o", "queen.tar.gz").out
    assert "queen.tar.gz: " in packed
    assert not list((account.home / ".cache/unified-shell/packing").iterdir())
    other = Account(tmp_path / "bee keeper's home")
    other.home.mkdir()
    shutil.rmtree(tree)
    other.ush("interpreter", "get", account.home / "queen.tar.gz", "--name", "mine", "--yes")
    account.ush("interpreter", "drop", "queen", "--yes")
    said = other.run([str(other.data / "interpreters/mine/bin/lua"), "-v"])
    assert "Lua 5.4.9" in said.out, said.err
