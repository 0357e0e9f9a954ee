"""An environment as it is for Windows: its tree, and its commands started by a second implementation of the system."""

import os
import re
import runpy
import shutil
import subprocess
import time
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import pytest

from support.account import BASE_PYTHON
from support.wheels import rewrite, wheel
from support.windows_programs import COMPILER, make_fake_python, make_starter, needs_compiler
from support.wine import PROGRAM, Wine
from support.wine_registry import WineRegistry
from unified_shell.core.changes.executor import Executor
from unified_shell.core.changes.journal import Journal
from unified_shell.core.changes.plan import Plan, change_of
from unified_shell.core.changes.undo import undo_change
from unified_shell.core.commands.candidates import look_for_command
from unified_shell.core.commands.states import State as CommandState
from unified_shell.core.distributions.file_names import parse_file_name
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.distributions.wheels import unpack_wheel
from unified_shell.core.environments.model.base_interpreter import check_base
from unified_shell.core.environments.model.contents import Contents, Distribution
from unified_shell.core.environments.model.layout import Layout
from unified_shell.core.environments.trees import command_files
from unified_shell.core.environments.trees.editions import make_edition, unrecorded_files
from unified_shell.core.environments.trees.store_filling import Ready
from unified_shell.core.errors import InterpreterUnusable
from unified_shell.core.findings import Finding, Verdict
from unified_shell.core.interpreters.adopted import read_adopted
from unified_shell.core.interpreters.adopting import plan_adopt
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.facts import InterpreterFacts
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host, System, read_host
from unified_shell.core.machine.locations import Scope, locations_of
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.programs import program_names
from unified_shell.core.machine.registry import registry
from unified_shell.core.machine.registry.registry_windows import WindowsRegistry
from unified_shell.core.outfits.packs.packed_ush import write_scripts
from unified_shell.core.shells.dialects.dialect import Side
from unified_shell.core.shells.wiring.registry_wiring import registry_entries, registry_findings, registry_steps
from unified_shell.core.shells.wiring.wiring import Wiring
from unified_shell.core.store.contents import Part, Store

LUA_SOURCE = os.environ.get("USH_TEST_LUA_SOURCE", "")
LUA_VERSION = "".join(re.findall(r"_(5\.\d\.\d+)", LUA_SOURCE))
PREFIX = r"C:\envs\hive two"
TOP = Path(__file__).parents[2]


def facts_for_windows(base: Path) -> InterpreterFacts:
    """Facts of this Python, as one in a folder of C: would tell them; the folder is read here."""
    return msgspec.structs.replace(
        probe(BASE_PYTHON, read_host({"PATH": "/usr/bin:/bin", "HOME": "/"})),
        system="win32",
        base_prefix=Place(str(base)),
        real_executable=Place(r"C:\base\python.exe"),
    )


def make_environment(tree: Path, base: Path, work: Path) -> None:
    """Make an environment for PREFIX with one distribution: two commands, one with a window, and a script."""
    made = wheel(work, "weigh", commands=["weigh=weigh:main", "två tool=weigh:main"])
    info = "weigh-1.0.dist-info/entry_points.txt"
    entries = "[console_scripts]\nweigh = weigh:main\ntvå tool = weigh:main\n[gui_scripts]\nscale = weigh:main\n"
    rewrite(
        made,
        {
            info: entries.encode(),
            "weigh-1.0.data/scripts/tare.py": b"#!python\nprint('tare')\n",
            "weigh-1.0.data/scripts/plain.cmd": b"@echo plain\r\n",
            "weigh-1.0.data/headers/weigh.h": b"",
        },
    )
    file = parse_file_name(made.name)
    assert file is not None
    one = Distribution(
        name=NormalizedName("weigh"), version="1.0", sha256=digest_of_file(str(made)), index="",
        wheel=file,
    )  # fmt: skip
    content = Store(str(work)).add(
        one.sha256, str(work / "staging"), lambda into: unpack_wheel(str(made), into, "weigh")
    )
    contents = Contents(
        name="hive two", identity="-", interpreter=Place(r"C:\base\python.exe"), python="3.11.7", made_seconds=0.0,
        distributions=(one,),
    )  # fmt: skip
    ready: dict[str, Ready] = {one.sha256: Ready(content=content, bytecode=Part(folder=Place(str(work / "none"))))}
    host = read_host({"PATH": "/bin", "HOME": "/"})
    make_edition(str(tree), PREFIX, contents, facts_for_windows(base), ready, host=host)


def base_for_windows(folder: Path, python: bytes = b"MZ") -> Path:
    scripts = folder / "Lib/venv/scripts/nt"
    scripts.mkdir(parents=True)
    (scripts / "python.exe").write_bytes(python)
    (scripts / "pythonw.exe").write_bytes(python)
    return folder


def test_its_tree_is_as_its_scheme_says(tmp_path: Path) -> None:
    base = base_for_windows(tmp_path / "base")
    tree = tmp_path / "tree"
    tree.mkdir()
    make_environment(tree, base, tmp_path)
    names = {str(one.relative_to(tree)) for one in (tree / "Scripts").iterdir()}
    commands = ("weigh", "två tool", "scale", "tare")
    assert names == {
        "Scripts/python.exe", "Scripts/pythonw.exe", "Scripts/plain.cmd",
        *(f"Scripts/{one}{end}" for one in commands for end in (".exe", "-script.py")),
    }  # fmt: skip
    assert (tree / "Scripts/scale.exe").read_bytes() != (tree / "Scripts/weigh.exe").read_bytes(), "without a console"
    assert (tree / "Lib/site-packages/weigh.py").exists()
    assert (tree / "Include/weigh/weigh.h").exists()
    config = (tree / "pyvenv.cfg").read_text().splitlines()
    assert config[0] == r"home = C:\base"
    rows = parse_record((tree / "Lib/site-packages/weigh-1.0.dist-info/RECORD").read_bytes(), "RECORD")
    assert "../../Scripts/weigh.exe" in {row.path for row in rows}
    layout = Layout(prefix=Place(str(tree)), short_version="3.11", is_windows=True)
    assert unrecorded_files(layout) == ()
    (tree / "Lib/site-packages/loose.py").write_text("")
    assert unrecorded_files(layout) == ("Lib/site-packages/loose.py",)


def test_a_base_that_can_carry_none_is_named(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "base").mkdir()
    (tmp_path / "tree").mkdir()
    with pytest.raises(InterpreterUnusable, match=r"has no python\.exe for environments"):
        make_environment(tmp_path / "tree", tmp_path / "base", tmp_path)
    facts = msgspec.structs.replace(facts_for_windows(tmp_path / "base"), real_executable=Place(r"sub\python.exe"))
    monkeypatch.chdir(tmp_path)
    check_base(facts)
    (tmp_path / "sub").mkdir()
    (tmp_path / "sub/python311._pth").write_text("python311.zip\n")
    with pytest.raises(InterpreterUnusable, match=r"the form for embedding: its python311\._pth"):
        check_base(facts)


@needs_compiler
def test_the_launchers_are_what_their_source_gives(tmp_path: Path) -> None:
    folder = Path(command_files.__file__).with_name("windows")
    told = tomllib.loads((folder / "launchers.toml").read_text())
    assert told["source-sha256"] == digest_of_file(str(folder / "launcher.c"))
    making = runpy.run_path(str(TOP / "docs/make_launchers.py"))
    kept = {name: digest_of_file(str(folder / name)) for name in ("x86_64-console.exe", "x86_64-windows.exe")}
    assert kept == {name: told[name]["sha256"] for name in kept}
    made = making["build"](tmp_path)
    if making["compiler_version"]() == told["compiler"]:
        assert made == {name: (folder / name).read_bytes() for name in kept}


@pytest.fixture(scope="module")
def hive(wine: Wine) -> Wine:
    """A prefix with the environment in it, whose Python tells what it got."""
    if COMPILER is None:
        pytest.skip("the compiler for Windows is not here")
    top = wine.top
    python = make_fake_python(top / "fake.exe").read_bytes()
    base = base_for_windows(wine.drive / "base", python)
    tree = wine.drive / "envs/hive two"
    tree.mkdir(parents=True)
    (wine.drive / "t").mkdir(exist_ok=True)
    make_environment(tree, base, top)
    make_starter(wine.drive / "t/starter.exe")
    return wine


def got(wine: Wine) -> list[list[str]]:
    """What the interpreter received each time since it was asked: its command line as it was, then each of its words."""
    place = wine.drive / "t/got.txt"
    records = place.read_bytes().decode("utf-16-le").split("\0")[:-1]
    place.unlink()
    return [one.split("\n") for one in records]


SCRIPT = PREFIX + r"\Scripts\weigh-script.py"
RAW = (
    "", " ", r' "" a\"b "c:\dir\\" c:\dir" ', ' "x""y" a"b c"d', "\ttab é日 ^ $ < > % ! *.c", ' "\\\\\\" end"', "  a   b ",
)  # fmt: skip


@needs_compiler
def test_a_launcher_hands_on_the_command_line_as_it_is(hive: Wine) -> None:
    hive.start_as([rf'"{PREFIX}\Scripts\weigh.exe"{rest}' for rest in RAW])
    assert [one[0] for one in got(hive)] == [rf'"{PREFIX}\Scripts\python.exe" "{SCRIPT}"{rest}' for rest in RAW]


@needs_compiler
def test_a_launcher_hands_on_words_names_and_exit_codes(hive: Wine) -> None:
    words = ["a b", "", "sp back\\", 'q"uote', 'x\\"y', "日", "%PATH%", "*", "a^b", "-"]
    hive.run(rf"{PREFIX}\Scripts\två tool.exe", *words)
    assert got(hive)[0][1:] == [PREFIX + r"\Scripts\två tool-script.py", *words]
    for code in ("9", "-1073741510"):
        assert hive.batch(f'@"{PREFIX}\\Scripts\\weigh.exe" --code {code}\n@echo>C:\\t\\out.txt %ERRORLEVEL%\n') == [
            code
        ]
    (hive.drive / "envs/hive two/Scripts/tare-script.py").rename(hive.drive / "t/tare-script.py")
    assert hive.batch(f'@"{PREFIX}\\Scripts\\tare.exe" 2>C:\\t\\out.txt\n@echo>>C:\\t\\out.txt %ERRORLEVEL%\n') == [
        rf"ush: this command's script is not there: {PREFIX}\Scripts\tare-script.py",
        "101",
    ]


@needs_compiler
def test_a_pack_starts_its_python_from_any_folder(hive: Wine) -> None:
    (hive.drive / "t/got.txt").unlink(missing_ok=True)
    pack = hive.drive / "packs/bees & co (1)"
    (pack / "run/python-3.13.0").mkdir(parents=True)
    write_scripts(Place(str(pack)), "3.13.0", "python-3.13.0-windows-x86_64.tar.gz", is_windows=True)
    python = pack / "run/python-3.13.0/python.exe"
    shutil.copy(hive.top / "fake.exe", python)
    call = '@call "C:\\packs\\bees & co (1)\\equip.cmd" --yes "a b" c^d\n@echo>C:\\t\\out.txt %ERRORLEVEL%\n'
    assert hive.batch(call) == ["0"]
    (words,) = got(hive)
    assert words[0].startswith(r'"C:\packs\bees & co (1)\run\python-3.13.0\python.exe" -I -B -c ')
    here = "C:\\packs\\bees & co (1)\\"
    assert words[5:] == [f"{here}ush", "outfit", "equip", "--from", f"{here}.", "--yes", "a b", "cd"]
    # Without its archive it says so, and starts nothing.
    python.unlink()
    said = hive.batch(call.replace(" c^d", " 2>C:\\t\\out.txt").replace("echo>", "echo>>"))
    assert said[-2] == "ush: python-3.13.0-windows-x86_64.tar.gz beside this file could not be unpacked"
    assert said[-1] != "0"
    assert not (hive.drive / "t/got.txt").exists()


@needs_compiler
def test_a_child_ends_with_its_launcher(hive: Wine) -> None:
    (hive.drive / "t/got.txt").unlink(missing_ok=True)
    begun = hive.begin(rf"{PREFIX}\Scripts\weigh.exe", "--wait")
    try:
        end = time.monotonic() + 20
        while not (hive.drive / "t/got.txt").exists() and time.monotonic() < end:
            time.sleep(0.1)
        assert len(running(hive, "weigh-script.py")) == 1, "the child"
        launchers = running(hive, "weigh.exe")
        assert launchers
        for number in launchers:
            os.kill(number, 9)
        end = time.monotonic() + 10
        while running(hive, "weigh-script.py") and time.monotonic() < end:
            time.sleep(0.1)
        assert not running(hive, "weigh-script.py")
    finally:
        begun.kill()
        begun.wait()


@pytest.fixture(scope="module")
def lua(hive: Wine) -> Path:
    """A folder with lua.exe, made for Windows from the original archive."""
    if not LUA_SOURCE:
        pytest.skip("USH_TEST_LUA_SOURCE names no source archive of Lua")
    return lua_for_windows(hive)


@pytest.fixture
def windows(hive: Wine, lua: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Host]:
    """A Windows with that folder on PATH: its programs, which have an extension, and its registry are wine's."""
    started = subprocess.Popen

    def through_wine(argv: list[str], **how: Any) -> "subprocess.Popen[bytes]":
        if argv[0].endswith(".exe"):
            argv, how = [PROGRAM, *argv], {**how, "env": hive.variables()}
        return started(argv, **how)

    winreg = WineRegistry(hive)
    live = WindowsRegistry(winreg, lambda: None)
    monkeypatch.setattr(registry, "_windows", lambda: live)
    monkeypatch.setattr(subprocess, "Popen", through_wine)
    monkeypatch.setattr(program_names, "PROGRAM_EXTENSION", ".exe")
    (hive.top / "root").mkdir(exist_ok=True)
    if not (hive.top / "root/System32").exists():
        (hive.top / "root/System32").symlink_to(hive.drive / "windows/system32")
    variables = {"PATH": str(lua), "HOME": str(hive.top / "home"), "SYSTEMROOT": str(hive.top / "root")}
    yield msgspec.structs.replace(read_host(variables), system=System.WINDOWS, architecture="x86_64")
    winreg.close()


def test_a_real_interpreter_is_found_and_judged(lua: Path, windows: Host) -> None:
    (found,) = discover(windows, roots=[str(lua)]).others
    assert (found.version, found.word_size_bits, found.architecture) == (LUA_VERSION, 64, "x86_64")
    first = next(one for one in look_for_command("lua", windows, {}, Wiring()).candidates if one.position)
    assert (first.path, first.state) == (str(lua / "lua.exe"), CommandState.READY)
    (lua / "lua54.dll").rename(lua / "away.dll")
    broken = next(one for one in look_for_command("lua", windows, {}, Wiring()).candidates if one.position)
    (lua / "away.dll").rename(lua / "lua54.dll")
    assert broken.state is CommandState.BROKEN
    assert broken.why == "needs lua54.dll, which is in no folder that the loader searches"


def test_it_is_adopted_wired_started_by_a_new_session_and_all_of_it_undone(
    hive: Wine, lua: Path, windows: Host
) -> None:
    locations = locations_of(windows)
    executor = Executor(locations=locations, journal=Journal(str(hive.top / "journal.sqlite")))
    shown = f"Z:{lua}".replace("/", "\\")
    ask = '@lua -e "io.open([[C:\\t\\out.txt]], [[w]]):write(_VERSION)"\n'
    assert hive.batch(ask) == []
    adopted = executor.perform(plan_adopt(str(lua / "lua.exe"), "comb", windows, locations))
    assert [(one.name, one.language, one.version) for one in read_adopted(locations)] == [
        ("comb", "lua", LUA_VERSION)
    ]
    steps = registry_steps(Wiring(), Wiring().with_entry("PATH", shown, Side.FRONT), windows, Scope.ME)

    def verify() -> tuple[Finding, ...]:
        assert hive.batch(ask) == ["Lua 5.4"]
        return registry_findings("PATH", [shown], [], windows)

    plan = Plan(aim="Put Lua on Path")
    outcome = executor.perform(change_of(plan, prepare=lambda _staging: steps, verify=verify))
    assert [one.verdict for one in outcome.findings] == [Verdict.PASSED]
    for number in (outcome.number, adopted.number):
        executor.perform(undo_change(executor, number, derive=lambda _steps: ()))
    assert hive.batch(ask) == []
    assert shown not in [one.text for one in registry_entries("PATH", windows)]
    assert read_adopted(locations) == ()


def lua_for_windows(wine: Wine) -> Path:
    """The original Lua, made from its archive for Windows: lua.exe and the library that it needs."""
    folder = wine.drive / "lua 5"
    folder.mkdir()
    (wine.top / "source").mkdir()
    subprocess.run(["tar", "-xf", LUA_SOURCE, "-C", wine.top / "source"], check=True)
    (source,) = (wine.top / "source").glob("*/src")
    names = sorted(one.name for one in source.glob("*.c") if one.name not in ("lua.c", "luac.c"))
    dll = [str(COMPILER), "-O0", "-DLUA_BUILD_AS_DLL", "-shared", "-o", str(folder / "lua54.dll"), *names]
    subprocess.run(dll, cwd=source, check=True)
    program = [str(COMPILER), "-O0", "-DLUA_BUILD_AS_DLL", "-o", str(folder / "lua.exe"), "lua.c"]
    subprocess.run([*program, str(folder / "lua54.dll")], cwd=source, check=True)
    return folder


def running(wine: Wine, word: str) -> list[int]:
    """The processes of a prefix whose command line ends with a word, or has it before its own words."""
    found = []
    for place in Path("/proc").glob("[0-9]*"):
        try:
            line = (place / "cmdline").read_bytes().replace(b"\0", b" ").decode("utf-8", "replace")
            variables = (place / "environ").read_bytes()
        except OSError:
            continue
        if word in line and str(wine.top).encode() in variables:
            found.append(int(place.name))
    return found
