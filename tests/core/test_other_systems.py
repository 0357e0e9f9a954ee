"""What could not be run here: Windows' registry with stand-ins, its prompt's texts, macOS's lists of directories."""

import dataclasses
import subprocess
import sys
from pathlib import Path
from typing import Any

import msgspec
import pytest

from support.account import BASE_PYTHON, Account
from unified_shell.core.commands.candidates import look_for_command
from unified_shell.core.errors import Refused
from unified_shell.core.machine.host import Host, System, read_host
from unified_shell.core.machine.locations import Locations, Scope, everyone_locations
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.registry.registry_file import RegistryFile
from unified_shell.core.machine.registry.registry_text import parse_registry_text, registry_bytes
from unified_shell.core.machine.registry.registry_values import Registry, RegistryKind, RegistryValue
from unified_shell.core.machine.registry.registry_windows import WindowsRegistry, announce_to_programs
from unified_shell.core.shells.dialects.dialect import SearchPath, SessionContent, SetVariable, Side
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.wiring.path_helper import paths_file_steps
from unified_shell.core.shells.wiring.registry_wiring import KEYS, registry_entries, registry_export, registry_steps
from unified_shell.core.shells.wiring.wiring import Wiring

USER, MACHINE = KEYS[Scope.ME], KEYS[Scope.EVERYONE]
EXPANDABLE = RegistryKind.EXPANDABLE


class StandInHive:
    """The part of the standard library's `winreg` that is used, on a dictionary; names are the same in any case."""

    REG_SZ, REG_EXPAND_SZ, REG_DWORD = 1, 2, 4
    KEY_READ, KEY_WRITE, KEY_WOW64_64KEY = 0x20019, 0x20006, 0x0100
    HKEY_CURRENT_USER, HKEY_LOCAL_MACHINE = "HKEY_CURRENT_USER", "HKEY_LOCAL_MACHINE"

    def __init__(self) -> None:
        self.kept: dict[str, dict[str, tuple[object, int]]] = {}

    def OpenKey(self, root: str, below: str, _: int, access: int) -> Any:  # noqa: N802
        assert access & self.KEY_WOW64_64KEY, "the 64-bit view is asked for"
        name = f"{root}\\{below}".lower()
        if not any(one == name or one.startswith(f"{name}\\") for one in self.kept):
            raise FileNotFoundError(name)
        return _Opened(name)

    def CreateKeyEx(self, root: str, below: str, _: int, access: int) -> Any:  # noqa: N802
        self.kept.setdefault(f"{root}\\{below}".lower(), {})
        return self.OpenKey(root, below, 0, access)

    def DeleteKeyEx(self, root: str, below: str, access: int, _: int) -> None:  # noqa: N802, ARG002
        del self.kept[f"{root}\\{below}".lower()]

    def QueryValueEx(self, key: "_Opened", name: str) -> tuple[object, int]:  # noqa: N802
        try:
            return self.kept[key.name][name.lower()]
        except KeyError:
            raise FileNotFoundError(name) from None

    def SetValueEx(self, key: "_Opened", name: str, _: int, kind: int, text: str) -> None:  # noqa: N802
        self.kept[key.name][name.lower()] = (text, kind)

    def DeleteValue(self, key: "_Opened", name: str) -> None:  # noqa: N802
        if self.kept[key.name].pop(name.lower(), None) is None:
            raise FileNotFoundError(name)

    def EnumValue(self, key: "_Opened", number: int) -> tuple[str, object, int]:  # noqa: N802
        names = list(self.kept.get(key.name, {}))
        if number >= len(names):
            raise OSError("no more data")
        return (names[number], *self.kept[key.name][names[number]])

    def EnumKey(self, key: "_Opened", number: int) -> str:  # noqa: N802
        below = [
            one.removeprefix(f"{key.name}\\").split("\\")[0] for one in self.kept if one.startswith(f"{key.name}\\")
        ]
        if number >= len(set(below)):
            raise OSError("no more data")
        return list(dict.fromkeys(below))[number]


@dataclasses.dataclass
class _Opened:
    name: str

    def __enter__(self) -> "_Opened":
        return self

    def __exit__(self, *_: object) -> None:
        return None


@pytest.mark.parametrize("kind", ["windows", "file"])
def test_both_registries_keep_the_same(kind: str, tmp_path: Path) -> None:
    told: list[tuple[object, ...]] = []

    def send(*words: object) -> int:
        told.append(words)
        return 1

    registry: Registry = RegistryFile(str(tmp_path / "hive.reg"))
    if kind == "windows":
        registry = WindowsRegistry(StandInHive(), lambda: announce_to_programs(send))
    assert registry.read(USER, "Path") is None
    registry.remove(USER, "Path")
    value = RegistryValue(text='%USERPROFILE%\\caf\u00e9;C:\\it\'s "x"\\n\u00e4', kind=EXPANDABLE)
    registry.write(USER, "Path", value)
    registry.write(r"HKEY_CURRENT_USER\Software\Python\Hive\1", "", RegistryValue(text="x"))
    assert registry.read(USER.upper().replace("HKEY_CURRENT_USER", "HKEY_CURRENT_USER"), "PATH") == value
    assert [one.lower() for one in registry.keys(r"HKEY_CURRENT_USER\Software\Python")] == ["hive"]
    assert registry.names(r"HKEY_CURRENT_USER\Software\Python\Hive\1") == ("",)
    assert registry.may_write(USER)
    registry.remove(USER, "path")
    registry.remove(r"HKEY_CURRENT_USER\Software\Python\Hive\1", "")
    assert registry.read(USER, "Path") is None
    assert registry.keys(r"HKEY_CURRENT_USER\Software\Python") == ()
    if kind == "windows":
        assert told == [(0xFFFF, 0x1A, 0, "Environment", 2, 5000, None)] * 2, "running programs are told of variables"


def test_registry_files_are_read_as_they_are_written_there() -> None:
    text = (
        "Windows Registry Editor Version 5.00\r\n\r\n; a remark\r\n[HKEY_CURRENT_USER\\Environment]\r\n"
        '"A"="C:\\\\x \\"y\\""\r\n"B"=hex(2):25,00,\\\r\n  41,00,25,00,00,00\r\n@="default"\r\n"N"=dword:00000002\r\n'
    )
    for encoded in (text.encode("utf-16"), text.encode("utf-8")):
        read = parse_registry_text(encoded)
        assert read[USER] == {
            "A": RegistryValue(text='C:\\x "y"'),
            "B": RegistryValue(text="%A%", kind=EXPANDABLE),
            "": RegistryValue(text="default"),
            "N": "dword:00000002",
        }
        assert parse_registry_text(registry_bytes(read)) == read
    assert (
        max(map(len, registry_bytes({"K": {"P": RegistryValue(text="x" * 500)}}).decode("utf-16").split("\r\n")))
        <= 80
    )
    for wrong in (b"", b"REGEDIT4\r\n", b"Windows Registry Editor Version 5.00\r\nnonsense"):
        with pytest.raises(ValueError, match=r"registry file|no name"):
            parse_registry_text(wrong)


def _host(tmp_path: Path, **more: str) -> Host:
    return read_host({"HOME": "/home/bea", "USH_REGISTRY": str(tmp_path / "hive.reg"), "PATH": "/bin", **more})


def _wiring(front: list[str], back: list[str], variables: dict[str, str] | None = None) -> Wiring:
    wiring = Wiring(variables=tuple(SetVariable(name=n, value=v) for n, v in (variables or {}).items()))
    for name in reversed(front):
        wiring = wiring.with_entry("PATH", name, Side.FRONT)
    for name in back:
        wiring = wiring.with_entry("PATH", name, Side.BACK)
    return wiring


def test_the_registrys_path_is_changed_entry_by_entry(tmp_path: Path) -> None:
    host, registry = _host(tmp_path), RegistryFile(str(tmp_path / "hive.reg"))
    registry.write(MACHINE, "Path", RegistryValue(text="C:\\Windows"))
    registry.write(USER, "Path", RegistryValue(text=r"%USERPROFILE%\own;;C:\Tools", kind=EXPANDABLE))
    first = _wiring(["/home/bea/a b", "/opt/x"], ["/home/bea/last"], {"HIVE_DATA": "100% x;y"})
    for step in registry_steps(Wiring(), first, host, Scope.ME):
        step.carry_out()
    there = registry.read(USER, "Path")
    assert there is not None
    assert there == RegistryValue(
        text=r"%USERPROFILE%\a b;/opt/x;%USERPROFILE%\own;C:\Tools;%USERPROFILE%\last", kind=EXPANDABLE
    )
    assert [one.directory for one in registry_entries("PATH", host)] == [
        "C:\\Windows", "/home/bea/a b", "/opt/x", "/home/bea/own", "C:\\Tools", "/home/bea/last",
    ]  # fmt: skip
    assert registry.read(USER, "HIVE_DATA") == RegistryValue(text="100% x;y")
    assert registry_steps(first, first, host, Scope.ME) == ()
    assert parse_registry_text(registry_export(first, host, Scope.ME))[USER]["Path"] == there
    # Somebody else's installer adds an entry and moves one of ours; both are put right, theirs stays.
    registry.write(
        USER, "Path", RegistryValue(text=there.text.replace("/opt/x;", "") + ";D:\\new;/OPT/X", kind=EXPANDABLE)
    )
    second = _wiring(["/opt/x"], [])
    for step in registry_steps(first, second, host, Scope.ME):
        step.carry_out()
    after = registry.read(USER, "Path")
    assert after == RegistryValue(text=r"/opt/x;%USERPROFILE%\own;C:\Tools;D:\new", kind=EXPANDABLE)
    assert registry.read(USER, "HIVE_DATA") is None
    registry.write(USER, "Path", RegistryValue(text="C:\\plain"))
    for step in registry_steps(second, first, host, Scope.ME):
        step.carry_out()
    plain = registry.read(USER, "Path")
    assert plain == RegistryValue(text="/home/bea/a b;/opt/x;C:\\plain;/home/bea/last"), "its kind stays"
    for wrong in ("/a;b", "/%PATH%/x", '/"x'):
        with pytest.raises(Refused):
            registry_steps(Wiring(), _wiring([wrong], []), _host(tmp_path / "none"), Scope.ME)
    with pytest.raises(Refused, match=r"Path would be .* characters long .* 8191"):
        registry_steps(first, _wiring([f"/long/{n:>0200}" for n in range(45)], []), host, Scope.ME)
    with pytest.raises(Refused, match=r"HIVE_LONG would be .* 32767"):
        registry_steps(first, _wiring([], [], {"HIVE_LONG": "x" * 32_760}), host, Scope.ME)


@pytest.mark.posix
def test_the_wiring_goes_to_the_registry_and_is_undone(account: Account) -> None:
    hive = account.home / "hive.reg"
    account.more["USH_REGISTRY"] = str(hive)
    registry = RegistryFile(str(hive))
    registry.write(USER, "Path", RegistryValue(text="C:\\Tools;%X%", kind=EXPANDABLE))
    before = hive.read_bytes()
    account.tool("weigh-hive")
    plan = account.ush("path", "add", "tools", "--yes").out
    assert "the registry's Path in HKEY_CURRENT_USER\\Environment" in plan
    assert "+ %USERPROFILE%\\tools" in plan
    assert "3 of 3 checks passed" in plan
    shown = account.ush("path", "list", "--registry", "--json").json()["entries"]
    assert [one["directory"] for one in shown] == [f"{account.home}/tools", "C:\\Tools", "%X%"]
    account.ush("undo", "--yes")
    assert hive.read_bytes() == before, "nobody touched it, so it is what it was"
    account.ush("path", "add", "tools", "--yes")
    there = registry.read(USER, "Path")
    assert there is not None
    registry.write(USER, "Path", RegistryValue(text=f"D:\\later;{there.text}", kind=EXPANDABLE))
    account.ush("undo", "--yes")
    assert registry.read(USER, "Path") == RegistryValue(text="D:\\later;C:\\Tools;%X%", kind=EXPANDABLE)
    # Interpreters are registered as PEP 514 has it, and found by it.
    account.ush("interpreter", "adopt", BASE_PYTHON, "--name", "mine", "--yes")
    key = r"HKEY_CURRENT_USER\Software\Python\UnifiedShell\mine"
    executable = registry.read(f"{key}\\InstallPath", "ExecutablePath")
    assert executable is not None
    assert executable.text == BASE_PYTHON
    architecture = registry.read(key, "SysArchitecture")
    assert architecture == RegistryValue(text="64bit")
    found = account.ush("interpreter", "list", "--json", more={"PATH": "/nowhere"}).json()["found"]
    assert any(BASE_PYTHON in one["names"] for one in found)
    account.ush("interpreter", "drop", "mine", "--yes")
    assert registry.keys(r"HKEY_CURRENT_USER\Software\Python\UnifiedShell") == ()
    hive.write_text("nonsense")
    broken = account.ush("path", "list", "--registry", code=4)
    assert "is not a registry file" in broken.err


def test_the_prompts_texts_and_extensions(tmp_path: Path) -> None:
    prompt = dialect_named("cmd")
    assert prompt.quote('a%b&c"') == '"a%%b&c"'
    content = SessionContent(
        search_paths=(SearchPath(variable="PATH", side=Side.FRONT, directories=(Place("C:\\a & b"),)),),
        variables=(SetVariable(name="HIVE", value="50%"),),
        home=Place("C:\\Users\\bea"),
        source="hive",
        stamp="0",
    )
    text = prompt.enter_scripts(name="hive & del", prefix="C:\\e", content=content)["enter.cmd"]
    assert '@set "PATH=C:\\e\\Scripts;C:\\a & b;%PATH%"\r\n' in text
    assert '@set "HIVE=50%%"\r\n' in text
    assert '@set "PROMPT=(hivedel) %PROMPT%"\r\n' in text
    for name in ("weigh.CMD", "weigh.exe", "weigh", "other.py"):
        (tmp_path / name).write_text("#!/bin/sh\n")
        (tmp_path / name).chmod(0o755)
    host = msgspec.structs.replace(read_host({"PATH": str(tmp_path), "PATHEXT": ".EXE;.CMD"}), system=System.WINDOWS)
    (tmp_path / "weigh.CMD").rename(tmp_path / "weigh.cmd")
    report = look_for_command("weigh", host, {}, Wiring())
    answers = [(Path(one.path).name, one.state.value) for one in report.candidates if one.position]
    assert answers == [("weigh.exe", "ready"), ("weigh.cmd", "shadowed")]
    assert not [one for one in look_for_command("other", host, {}, Wiring()).candidates if one.position]


@pytest.mark.posix
def test_directories_of_path_helper_are_traced_to_their_lists(account: Account, tmp_path: Path) -> None:
    root = tmp_path / "root"
    (root / "etc/paths.d").mkdir(parents=True)
    (root / "etc/paths").write_text("/usr/bin\n/bin\n")
    (root / "etc/paths.d/50-hive").write_text("\n/opt/hive/bin\n")
    account.more["USH_ROOT"] = str(root)
    # A stand-in of the same order: the lists first, then what was inherited.
    account.write(
        "path_helper",
        f'#!/bin/sh\nlisted=$(cat {root}/etc/paths {root}/etc/paths.d/* | grep . | tr "\\n" ":")\n'
        'echo "PATH=\\"$listed$PATH\\"; export PATH"\n',
        0o755,
    )
    account.write(".profile", 'PATH="$HOME/own:$PATH"\neval "$(~/path_helper -s)"\n')
    report = account.ush("path", "list", "--login", "--json").json()["report"]["entries"]
    traced = {one["directory"]: (one["file"], one["line"]) for one in report}
    assert traced["/opt/hive/bin"] == (str(root / "etc/paths.d/50-hive"), 2)
    assert traced[f"{account.home}/own"] == (str(account.home / ".profile"), 1)


def test_everyones_directories_are_listed_for_path_helper(tmp_path: Path) -> None:
    host = msgspec.structs.replace(read_host({"USH_ROOT": str(tmp_path), "HOME": "/home/bea"}), system=System.MACOS)
    everyone: Locations = everyone_locations(host)
    (step,) = paths_file_steps(_wiring(["/opt/a b"], ["/opt/c"]), host, everyone)
    step.carry_out()
    assert (tmp_path / "etc/paths.d/unified-shell").read_text() == "/opt/a b\n/opt/c\n"
    assert paths_file_steps(_wiring(["/opt/a b"], ["/opt/c"]), host, everyone) == ()
    (gone,) = paths_file_steps(Wiring(), host, everyone)
    gone.carry_out()
    assert not (tmp_path / "etc/paths.d/unified-shell").exists()
    for wiring in (_wiring(["/a\nb"], []), _wiring([], [], {"X": "1"})):
        with pytest.raises(Refused):
            paths_file_steps(wiring, host, everyone)


@pytest.mark.posix
def test_session_scripts_are_read_by_those_that_understand_them(account: Account) -> None:
    words = 'HUM="a b"; export HUM\nfor one in $HUM; do COUNT=x$COUNT; done; export COUNT\n'
    account.write("it's a suite/session.sh", words)
    account.write("only.bash", "export ONLY=${BASH_SOURCE[0]##*/}\n")
    account.write("breaks.sh", "exit 3\n")
    account.write(".zshrc", "true\n")
    account.ush("shell", "wire", "bash", "zsh", "fish", "--yes")
    added = account.ush("shell", "wire", "fish", "--script", "it's a suite/session.sh", "--yes").out
    assert "new sessions of fish cannot read it" in added
    account.ush("shell", "wire", "--script", "only.bash", "--yes")
    assert account.session("echo $HUM,$COUNT,$ONLY").out == "a b,xx,only.bash\n"
    assert account.session("echo $HUM,$COUNT,$ONLY", shell="zsh").out == "a b,xx,\n"
    assert account.session("echo $HUM", shell="fish").out == "\n"
    broken = account.ush("shell", "wire", "--script", "breaks.sh", "--yes", code=5)
    assert "put back" in broken.err
    scripts = account.ush("shell", "list", "--json").json()["scripts"]
    assert [one["dialect"] for one in scripts] == ["sh", "bash"]
    account.ush("shell", "unwire", "--script", "only.bash", "--yes")
    assert account.session("echo $HUM,$ONLY").out == "a b,\n"
    account.ush("undo", "--yes")
    assert account.session("echo $HUM,$ONLY").out == "a b,only.bash\n"
    account.ush("variable", "add", "HIVE_DATA", "x", "--when", "login", "--yes")
    assert account.session("echo [$HIVE_DATA]").out == "[]\n"
    assert account.run(["/bin/bash", "-l", "-c", "echo [$HIVE_DATA]"]).out == "[x]\n"


@pytest.mark.posix
def test_programs_that_began_before_the_change_are_named(account: Account) -> None:
    account.tool("weigh-hive")
    account.ush("path", "add", "tools", "--yes")
    began = subprocess.Popen(["sleep", "60"], env={"USH_WIRING": "an older stamp", "HOME": str(account.home)})
    try:
        seen = account.ush("look", "--json").json()["stale_programs"]
        assert (began.pid, "sleep") in [(one["process_id"], one["name"]) for one in seen]
        stale = account.ush("look", "weigh-hive", code=1, more={"USH_WIRING": "an older stamp"}).out
        assert f"sleep (process {began.pid})" in stale
    finally:
        began.kill()
        began.wait()


READING = (
    "--help",
    "",
    "look",
    "look true --json",
    "look module:json",
    "look ./hive",
    "interpreter list",
    "environment list",
    "command list",
    "index list",
    "catalog list",
    "store show",
    "path list",
    "path list --session",
    "variable list",
    "shell list",
    "verify",
    "journal",
    "environment new hive --plan",
    "path add hive --plan",
)


@pytest.mark.parametrize(
    "words", [None, *READING], ids=lambda words: "every module" if words is None else words or "ush"
)
def test_nothing_needs_what_only_posix_has(tmp_path: Path, words: str | None) -> None:
    """Modules import, and commands that read or plan answer, without the names that POSIX alone has."""
    program = Path(__file__).parents[1] / "support/without_posix.py"
    (tmp_path / "hive").mkdir()
    variables = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin", "SHELL": "/bin/bash", "LANG": "C.UTF-8"}
    argv = [sys.executable, str(program), *([] if words is None else words.split())]
    done = subprocess.run(argv, env=variables, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode in ((0,) if words is None else (0, 1)), done.stdout + done.stderr
    assert "Traceback" not in done.stderr
    assert "internal error" not in done.stderr


def test_an_environment_without_links_is_changed_while_nothing_runs_from_it(account: Account, study: Path) -> None:
    program = Path(__file__).parents[1] / "support/without_posix.py"

    def ush(*words: str, code: int = 0) -> str:
        done = account.run([sys.executable, str(program), *words])
        assert done.code == code, done.out + done.err
        return done.out + done.err

    ush("index", "add", "apiary", str(study), "--yes")
    ush("environment", "new", "hive", "--interpreter", BASE_PYTHON, "--yes")
    python = account.data / "environments/hive/bin/python"
    assert not python.is_symlink()
    with subprocess.Popen([python, "-c", "input()"], stdin=subprocess.PIPE) as running:
        said = ush("package", "get", "swarmcast", "-e", "hive", "--yes", code=4)
        assert "a program runs from it, or has a file of it open; end that first; everything was put back" in said
        running.kill()
    assert ush("package", "list", "-e", "hive", "--json").count('"swarmcast"') == 0
    ush("package", "get", "swarmcast", "-e", "hive", "--yes")
    assert "Foresee" in ush("environment", "run", "hive", "--", "swarmcast", "--help")
    assert "all passed" in ush("verify", "hive")
    assert "already an environment of ush" in ush(
        "environment", "adopt", str(python.parents[1]), "--name", "other", code=2
    )
    assert "every entry is used" in ush("store", "sweep", "--yes")
    ush("undo", "--yes")
    assert ush("package", "list", "-e", "hive", "--json").count('"swarmcast"') == 0
    ush("environment", "drop", "hive", "--yes")
    assert not python.exists()
