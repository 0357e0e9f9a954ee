"""What is written for Windows, read and run by a second implementation: registry files, new sessions, the prompt's scripts."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest

from support.account import BASE_PYTHON
from support.windows_programs import COMPILER, compiled, make_programs, needs_compiler
from support.wine import Wine
from support.wine_registry import WineRegistry
from unified_shell.core.changes.step_state import StepState
from unified_shell.core.commands.candidates import look_for_command
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.interpreters.registered import forgetting_steps, registered_interpreters, registration_steps
from unified_shell.core.machine.host import System, read_host
from unified_shell.core.machine.locations import Scope
from unified_shell.core.machine.places import Place
from unified_shell.core.machine.programs.pe import lacking_windows_libraries
from unified_shell.core.machine.registry import registry
from unified_shell.core.machine.registry.registry_text import parse_registry_text, registry_bytes
from unified_shell.core.machine.registry.registry_values import RegistryKind, RegistryValue
from unified_shell.core.machine.registry.registry_windows import WindowsRegistry
from unified_shell.core.shells.dialects.dialect import SearchPath, SessionContent, SetVariable, Side
from unified_shell.core.shells.dialects.table import dialect_named
from unified_shell.core.shells.wiring.registry_wiring import KEYS, registry_export, registry_steps
from unified_shell.core.shells.wiring.wiring import Wiring

USER = KEYS[Scope.ME]
EXPANDABLE = RegistryKind.EXPANDABLE


def test_a_registry_file_means_there_what_it_means_here(wine: Wine) -> None:
    values = {
        "Path": RegistryValue(text=r"%USERPROFILE%\bin;C:\é 日😀;C:\x y\\"[:-1], kind=EXPANDABLE),
        "HIVE_DATA": RegistryValue(text='100% of "it"; a & b ^ c'),
        "HIVE_Ñ": RegistryValue(text="\\", kind=EXPANDABLE),
        "HIVE_LONG": RegistryValue(text="C:\\" + "long name;" * 300),
        "HIVE_NONE": RegistryValue(text=""),
    }
    (wine.drive / "ours.reg").write_bytes(registry_bytes({USER: values}, "Made by a test."))
    assert wine.run("reg", "import", r"C:\ours.reg") == 0
    there = parse_registry_text(wine.exported(USER))[USER]
    assert {name: there[name] for name in values} == values
    # And the other way: what its own program wrote is written by us so that it reads the same again.
    (wine.drive / "again.reg").write_bytes(registry_bytes(parse_registry_text(wine.exported(USER))))
    wine.run("reg", "import", r"C:\again.reg")
    assert parse_registry_text(wine.exported(USER))[USER] == there
    # Without the mark, values given as bytes are read one letter long: seen to fail.
    (wine.drive / "bare.reg").write_bytes(
        registry_bytes({USER: {"HIVE_BARE": values["Path"]}}).decode("utf-16").encode("ascii")
    )
    wine.run("reg", "import", r"C:\bare.reg")
    assert parse_registry_text(wine.exported(USER))[USER].get("HIVE_BARE") != values["Path"]


def test_a_new_session_has_what_the_wiring_wants(wine: Wine) -> None:
    wiring = Wiring(variables=(SetVariable(name="HIVE_MODE", value="night & day"),))
    for name, side in (
        (r"C:\hive\back", Side.BACK),
        (r"C:\hive\second one", Side.FRONT),
        (r"C:\hive\first", Side.FRONT),
    ):
        wiring = wiring.with_entry("PATH", name, side)
    host = read_host({"HOME": r"C:\users\bea", "PATH": "/bin"})
    (wine.drive / "wiring.reg").write_bytes(registry_export(wiring, host, Scope.ME))
    wine.run("reg", "import", r"C:\wiring.reg")
    for folder, says in (("first", "one"), ("second one", "two"), ("back", "three")):
        (wine.drive / "hive" / folder).mkdir(parents=True)
        (wine.drive / "hive" / folder / "weigh.cmd").write_bytes(f"@echo {says}\r\n".encode())
    shown = wine.batch(
        '@echo>C:\\t\\out.txt %PATH%\n@echo>>C:\\t\\out.txt "%HIVE_MODE%"\n@call weigh >>C:\\t\\out.txt\n'
    )
    path, mode, answer = shown
    machine, _, own = path.partition(r";C:\hive\first;")
    assert "C:\\windows" in machine, "the machine's entries stand in front"
    assert own == r"C:\hive\second one;C:\hive\back"
    assert mode == '"night & day"'
    assert answer == "one"


@pytest.fixture(scope="module")
def live(wine: Wine) -> Iterator[WindowsRegistry]:
    """The registry of the prefix, by the system's own calls."""
    if COMPILER is None:
        pytest.skip("the compiler for Windows is not here")
    (wine.drive / "t").mkdir(exist_ok=True)
    winreg = WineRegistry(wine)
    yield WindowsRegistry(winreg, lambda: None)
    winreg.close()


def test_values_go_to_the_registry_by_its_own_calls_and_a_new_session_has_them(
    wine: Wine, live: WindowsRegistry, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(registry, "_windows", lambda: live)
    host = msgspec.structs.replace(
        read_host({"PATH": "/bin"}), system=System.WINDOWS, home=Place(r"C:\users\root"), variables=(("PATH", ""),)
    )
    live.write(USER, "Path", RegistryValue(text=r"C:\old one;%NOPE%\x;;C:\é 日😀", kind=EXPANDABLE))
    live.write(USER, "HIVE_OLD", RegistryValue(text='a "quoted" 100% \\'))
    assert live.read(USER, "HIVE_OLD") == RegistryValue(text='a "quoted" 100% \\')
    before = parse_registry_text(wine.exported(USER))[USER]
    wiring = Wiring(variables=(SetVariable(name="HIVE_NEW", value="night & day"),))
    wiring = wiring.with_entry("PATH", r"C:\users\root\tools", Side.FRONT).with_entry("PATH", r"C:\back", Side.BACK)
    steps = registry_steps(Wiring(), wiring, host, Scope.ME)
    for step in steps:
        assert step.state() is StepState.BEFORE
        step.carry_out()
        assert step.state() is StepState.AFTER
    there = parse_registry_text(wine.exported(USER))[USER]
    text = r"%USERPROFILE%\tools;C:\old one;%NOPE%\x;C:\é 日😀;C:\back"
    assert there["Path"] == RegistryValue(text=text, kind=EXPANDABLE), "in its order, without an empty entry"
    assert registry_steps(Wiring(), wiring, host, Scope.ME) == ()
    shown = dict(line.split("=", 1) for line in wine.batch("@set PATH>C:\\t\\out.txt\n@set HIVE_>>C:\\t\\out.txt\n"))
    path = next(value for name, value in shown.items() if name.lower() == "path")
    assert path.partition(r";C:\users\root\tools;C:\old one;%NOPE%\x;")[2].endswith(r";C:\back"), path
    assert shown["HIVE_NEW"] == "night & day"
    assert shown["HIVE_OLD"] == 'a "quoted" 100% \\'
    for step in reversed(steps):
        back = step.inverse(Place("/nowhere"))
        assert back.state() is StepState.BEFORE
        back.carry_out()
    assert parse_registry_text(wine.exported(USER))[USER] == before, "as it was, the empty entry too"


def test_interpreters_are_found_in_three_views_and_registered(
    wine: Wine, live: WindowsRegistry, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(registry, "_windows", lambda: live)
    host = msgspec.structs.replace(read_host({"PATH": "/bin"}), system=System.WINDOWS)
    company = r"Software\Python\Hive"
    for root, view, tag, folder in (
        ("HKCU", "", "3.11", "C:\\Py 311\\"), ("HKLM", "", "3.12", "C:\\Py312"), ("HKLM", "/reg:32", "3.9-32", "C:\\Py9"),
        ("HKLM", "", "3.11", "C:\\shadowed"),
    ):  # fmt: skip
        key = rf"{root}\{company}\{tag}\InstallPath"
        wine.run("reg", "add", key, "/ve", "/d", folder, "/f", *([view] if view else []))
    found = {one.tag: one.executable for one in registered_interpreters(host) if one.company == "Hive"}
    assert found == {"3.11": r"C:\Py 311\python.exe", "3.12": r"C:\Py312\python.exe", "3.9-32": r"C:\Py9\python.exe"}
    facts = probe(BASE_PYTHON, read_host({"PATH": "/bin", "HOME": "/"}))
    for step in registration_steps("mine", facts, host):
        step.carry_out()
    exported = parse_registry_text(wine.exported(r"HKEY_CURRENT_USER\Software\Python"))
    own = r"HKEY_CURRENT_USER\Software\Python\UnifiedShell\mine"
    assert exported[rf"{own}\InstallPath"]["ExecutablePath"] == RegistryValue(text=BASE_PYTHON)
    assert exported[own]["SysVersion"] == RegistryValue(text=facts.short_version)
    for gone in forgetting_steps("mine", host):
        gone.carry_out()
    assert not [
        key for key in parse_registry_text(wine.exported(r"HKEY_CURRENT_USER\Software\Python")) if "mine" in key
    ]


@needs_compiler
def test_which_file_a_name_starts(wine: Wine) -> None:
    """By the order of PATHEXT in each directory, and directory by directory: as the prompt has it."""
    (wine.drive / "t").mkdir(exist_ok=True)
    says = 'int puts(const char *); int main(void) { puts("exe in two"); return 0; }'
    program = compiled(wine.drive / "t/says.exe", says)
    folders = [wine.drive / "search/one", wine.drive / "search/two"]
    for folder, endings in zip(folders, (("cmd", "txt"), ("bat", "cmd", "exe")), strict=True):
        folder.mkdir(parents=True)
        for ending in endings:
            (folder / f"hum.{ending}").write_bytes(f"@echo {ending} in {folder.name}\r\n".encode())
            (folder / f"hum.{ending}").chmod(0o755)
    shutil.copy(program, folders[1] / "hum.exe")
    for order, typed in (
        (".EXE;.BAT;.CMD", "hum"), (".CMD;.BAT;.EXE", "hum"), (".BAT;.EXE", "hum"), (".EXE", "hum"),
        (".BAT;.EXE;.CMD", "hum.exe"), (".EXE;.CMD", "hum.cmd"),
    ):  # fmt: skip
        (said,) = wine.batch(
            f"@set PATHEXT={order}\n@set PATH=C:\\search\\one;C:\\search\\two;%PATH%\n@call {typed} >C:\\t\\out.txt\n"
        )
        variables = {"PATH": ":".join(map(str, folders)), "PATHEXT": order}
        host = msgspec.structs.replace(read_host(variables), system=System.WINDOWS, architecture="x86_64")
        found = next(one for one in look_for_command(typed, host, {}, Wiring()).candidates if one.position)
        place = Path(found.path)
        assert said == f"{place.suffix[1:]} in {place.parent.name}", (order, typed)


def test_entering_twice_and_leaving_once_gives_the_prompt_back(wine: Wine) -> None:
    prompt = dialect_named("cmd")
    for name in ("hive", "a(b) c&d"):
        prefix = f"C:\\envs\\{name}"
        content = SessionContent(
            search_paths=(SearchPath(variable="PATH", side=Side.FRONT, directories=(Place(r"C:\tools x"),)),),
            variables=(
                SetVariable(name="HIVE_MODE", value="night & day"),
                SetVariable(name="HIVE_SHARE", value="50% (of it)"),
            ),
            home=Place(r"C:\users\bea"),
            source="hive",
            stamp="0",
        )
        for file, text in prompt.enter_scripts(name=name, prefix=prefix, content=content).items():
            place = wine.drive / "envs" / name / file
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(text.encode("ascii"))
        scripts = wine.drive / "envs" / name / "Scripts"
        scripts.mkdir()
        (scripts / "hum.cmd").write_bytes(f"@echo hum of {name.replace('&', '^&')}\r\n".encode())
    tell = '@echo>>C:\\t\\out.txt "%PATH%" "%HIVE_MODE%" "%PROMPT%" "%USH_ENVIRONMENT%"\n'
    hum = "@call hum >>C:\\t\\out.txt 2>&1\n"
    before, first, share, hummed, again, other, hummed_other, after, *gone = wine.batch(
        "@set HIVE_MODE=as before\n"
        + tell
        + '@call "C:\\envs\\hive\\enter.cmd"\n' + tell + "@set HIVE_SHARE>>C:\\t\\out.txt\n" + hum
        + '@call "C:\\envs\\hive\\enter.cmd"\n' + tell
        + '@call "C:\\envs\\a(b) c&d\\enter.cmd"\n' + tell + hum
        + '@call "C:\\envs\\a(b) c&d\\leave.cmd"\n' + tell + hum
    )  # fmt: skip
    assert first.startswith('"C:\\envs\\hive\\Scripts;C:\\tools x;C:\\windows'), first
    assert first.endswith('"night & day" "(hive) $P$G" "C:\\envs\\hive"')
    assert share == "HIVE_SHARE=50% (of it)"
    assert hummed == "hum of hive"
    assert again == first, "entered twice, it is the same"
    assert other.startswith('"C:\\envs\\a(b) c&d\\Scripts;C:\\tools x;C:\\windows'), "one environment at a time"
    assert hummed_other == "hum of a(b) c&d"
    assert after == before, "path, variable and prompt are as before"
    assert not [line for line in gone if line.startswith("hum of")]


@needs_compiler
def test_what_is_said_to_lack_a_library_does_not_start_there(wine: Wine, tmp_path: Path) -> None:
    programs, folder = make_programs(tmp_path), wine.drive / "programs"
    folder.mkdir()
    told = wine.drive / "t/out.txt"
    told.parent.mkdir(exist_ok=True)
    told.unlink(missing_ok=True)
    shutil.copy(programs / "comb.exe", folder)
    system = [str(wine.drive / "windows/system32"), str(wine.drive / "windows")]
    assert lacking_windows_libraries(str(folder / "comb.exe"), system) == ("wax.dll",)
    wine.run(r"C:\programs\comb.exe")
    assert not told.exists()
    shutil.copy(programs / "wax.dll", folder)
    assert lacking_windows_libraries(str(folder / "comb.exe"), system) == ()
    wine.run(r"C:\programs\comb.exe")
    assert told.read_text().split() == ["wax", "7"]
