"""Looking says "ready" only of what starts, here and in the next real session; what is wrong is named with its cause."""

import os
import shutil
import struct
import subprocess
import sysconfig
from pathlib import Path

import pytest

from support.account import BASE_PYTHON, Account
from support.suggestions import step_text

HUM = "int hum(void) { return 0; }\n"
MAIN = "int hum(void);\nint main(void) { return hum(); }\n"


def _program(account: Account) -> Path:
    """Compile `tools/humtool`, which needs a library in `lib`."""
    (account.home / "lib").mkdir()
    (account.home / "tools").mkdir()
    hum, main = account.write("hum.c", HUM), account.write("main.c", MAIN)
    library, program = account.home / "lib/libhivehum.so.1", account.home / "tools/humtool"
    subprocess.run(["cc", "-shared", "-Wl,-soname,libhivehum.so.1", "-o", library, hum], check=True)
    subprocess.run(["cc", "-o", program, main, library], check=True)
    return program


def test_a_program_whose_library_is_nowhere_is_broken(account: Account) -> None:
    _program(account)
    path = f"{account.home}/tools:/usr/bin:/bin"
    for name in (".bashrc", ".profile"):
        account.write(name, f"export PATH={path}\n")
    looked = account.ush("look", "humtool", code=1, more={"PATH": path})
    assert "broken" in looked.out.splitlines()[0]
    assert "libhivehum.so.1 is not on this machine" in looked.out
    assert "ready" not in looked.out
    account.ush("look", "hum*", more={"PATH": path})
    # A session that is told where the library is starts it; this one still does not.
    account.write(".bashrc", f"export PATH={path} LD_LIBRARY_PATH={account.home}/lib\n")
    states = {
        (one["mode"], one["state"])
        for one in account.ush("look", "humtool", "--json", code=1, more={"PATH": path}).json()["sessions"]
    }
    assert ("interactive", "ready") in states
    ready = account.ush(
        "look", "humtool", "--json", code=None, more={"PATH": path, "LD_LIBRARY_PATH": f"{account.home}/lib"}
    )
    assert ready.json()["state_here"] == "ready"


def test_one_judge_for_looking_and_listing(account: Account) -> None:
    """A launcher for a version that is not there ends with 127; a manual page is called as its program is."""
    account.tool("python3.12", "none; exit 127")
    account.write("man/man1/python3.1", ".TH python\n")
    account.write("deep/er/python3.9", f'#!/bin/sh\nexec {BASE_PYTHON} "$@"\n', 0o755)
    path = {"PATH": f"{account.home}/tools:/usr/bin:/bin"}
    looked = account.ush("look", "python3.12", "--json", code=1, more=path).json()
    assert looked["state_here"] == "broken"
    found = account.ush("interpreter", "list", "--json", more=path).json()["found"]
    broken = [one for one in found if one["facts"] is None]
    assert [name for one in broken for name in one["names"]] == [f"{account.home}/tools/python3.12"]
    below = account.ush("interpreter", "list", "--below", account.home, "--json", more=path).json()["found"]
    assert not [one for one in below if "man1" in str(one["names"])]
    named = {name for one in found for name in one["names"]}
    for candidate in account.ush("look", "python3.9", "--json", code=None).json()["candidates"]:
        assert candidate["path"] in named, "what a look finds, the list has"


def test_an_interpreter_off_the_usual_places_is_known_of(account: Account) -> None:
    version = f"{os.path.basename(BASE_PYTHON).removeprefix('python')}"
    account.write(f"deep/er/python{version}", f'#!/bin/sh\nexec {BASE_PYTHON} "$@"\n', 0o755)
    listed = account.ush("interpreter", "list", "--json", more={"PATH": "/bin"}).out
    assert f"deep/er/python{version}" in listed
    got = account.ush("interpreter", "get", "python", version, "--plan", more={"PATH": "/bin"})
    assert "is ready" in got.out


def test_modules_are_asked_for_as_a_new_session_and_each_environment_would(account: Account, tmp_path: Path) -> None:
    folder = account.home / "hum app"
    account.write("hum app/humview/__init__.py", "view = 1\n")
    account.new_environment()
    account.ush("path", "add", folder, "--variable", "PYTHONPATH", "-e", "hive", "--yes")
    report = account.ush("look", "module:humview", "--json", code=None).json()
    assert {one["owner"]: one["state"] for one in report["holders"]} == {"environment hive": "ready"}
    # In the wiring, every interpreter of a new session has it.
    account.ush("path", "add", folder, "--variable", "PYTHONPATH", "--yes")
    report = account.ush("look", "module:humview", "--json").json()
    assert report["state"] == "ready"
    assert len(report["holders"]) > 1
    # Compiled for another version: mismatched, by its name, where Python says only that there is none.
    account.write("hum app/wax.cpython-27-x86_64-linux-gnu.so", b"\x7fELF")
    account.write("hum app/comb/__init__.py", "from comb import _cells\n")
    account.write("hum app/comb/_cells.cpython-27-x86_64-linux-gnu.so", b"\x7fELF")
    for name in ("wax", "comb"):
        report = account.ush("look", f"module:{name}", "--json", code=1).json()
        here = [one for one in report["holders"] if one["owner"] == "environment hive"]
        assert [one["state"] for one in here] == ["mismatched"], name
        assert "cpython 2.7" in here[0]["why"]
    assert "ush interpreter get python 2.7" in step_text(report["remedy"])


def _library_file(bits: int, machine: int) -> bytes:
    """Return the header of a shared library for a machine, by the numbers of the ELF standard."""
    fields = (3, machine, 1, 0, 0, 0, 0, 64 if bits == 64 else 52, 56, 0, 64, 0, 0)
    form = "<HHIQQQIHHHHHH" if bits == 64 else "<HHIIIIIHHHHHH"
    return b"\x7fELF" + bytes([bits // 32, 1, 1]) + b"\0" * 9 + struct.pack(form, *fields) + b"\0" * 200


@pytest.mark.parametrize(("bits", "machine", "says"), [(32, 3, "32 bit, i386"), (64, 183, "64 bit, aarch64")])
def test_a_module_for_another_machine_is_mismatched(account: Account, bits: int, machine: int, says: str) -> None:
    if os.uname().machine != "x86_64":
        pytest.skip("made for this machine only")
    prefix = account.new_environment()
    account.ush("environment", "new", "songs", "--language", "lua", "--yes")
    site = next((prefix / "lib").glob("python*/site-packages"))
    (site / "wax.so").write_bytes(_library_file(bits, machine))
    (site / "comb").mkdir()
    (site / "comb/__init__.py").write_text("from . import cells\n")
    (site / "comb/cells.abi3.so").write_bytes(_library_file(bits, machine))
    songs = account.environment("songs") / "lib/lua"
    (songs / "wax.so").write_bytes(_library_file(bits, machine))
    (songs / "bee.lua").write_text("return 1\n")
    for name, owners in (("wax", {"environment hive", "environment songs"}), ("comb", {"environment hive"})):
        report = account.ush("look", f"module:{name}", "--json", code=1).json()
        states = {one["owner"]: (one["state"], says in one["why"]) for one in report["holders"]}
        assert states == dict.fromkeys(owners, ("mismatched", True)), report
    bee = account.ush("look", "module:bee", "--json", code=1).json()
    assert [(one["owner"], one["state"]) for one in bee["holders"]] == [("environment songs", "ready")]
    assert (bee["state"], step_text(bee["remedy"]).split("   ")[0]) == ("hidden", "ush environment enter songs")


def test_adopted_interpreters_are_asked_for_modules(account: Account) -> None:
    library = Path(sysconfig.get_path("stdlib"))
    own = account.home / "odd/queen/lib" / library.name
    # Debian's own Python has the other name for it.
    folders = ("site-packages", "dist-packages")
    for name in folders:
        account.write(str((own / name / "nectar.py").relative_to(account.home)), "sweet = True\n")
    for one in library.iterdir():
        if one.name not in folders:
            (own / one.name).symlink_to(one)
    program = account.home / "odd/queen/bin/python3"
    program.parent.mkdir()
    shutil.copy(BASE_PYTHON, program)
    account.ush("interpreter", "adopt", program, "--yes")
    report = account.ush("look", "module:nectar", "--json", code=None).json()
    assert any(one["state"] == "ready" for one in report["holders"])


def test_the_headline_is_the_worst_of_this_session_and_new_ones(account: Account) -> None:
    account.tool("weigh", folder="tools")
    account.tool("weigh", folder="other")
    hidden = account.ush("look", "weigh", code=1, more={"PATH": f"{account.home}/tools:/usr/bin:/bin"})
    assert "hidden" in hidden.out.splitlines()[0]
    assert "starts in this session, but not in 2 of 2" in hidden.out.splitlines()[0]
    assert "ush path add ~/tools" in hidden.out
    for name in (".bashrc", ".profile"):
        account.write(name, "PATH=$HOME/tools:$PATH\nalias weigh='echo no'\nhum() { :; }\n")
    assert "shadowed" in account.ush("look", "weigh", code=1).out.splitlines()[0]
    assert "absent" not in account.ush("look", "hum", code=1).out.splitlines()[0]
    assert "ready" in account.ush("look", "cd").out.splitlines()[0]
    for name in (".bashrc", ".profile"):
        account.write(name, "")
    # This session keeps the old answer; new ones have the preferred one.
    account.ush("command", "prefer", "weigh", account.home / "other/weigh", "--yes")
    looked = account.ush("look", "weigh", code=1, more={"PATH": f"{account.home}/tools:/usr/bin:/bin"})
    assert "stale" in looked.out.splitlines()[0]


def test_what_brings_a_module_is_told_and_nothing_is_guessed(apiary: Account) -> None:
    guess = apiary.ush("look", "module:PIL", code=1)
    assert "package get" not in guess.out
    assert "package get" not in apiary.ush("look", "flex-nowhere", code=1).out
    apiary.ush("package", "get", "waggle-io", "-e", "hive", "--plan")
    assert "provided by waggle-io" in apiary.ush("look", "module:waggle", code=1).out
    assert "ush package get waggle-io -e hive" in apiary.ush("look", "module:waggle", code=1).out
    assert "ush interpreter get octave" in apiary.ush("look", "octave", code=1).out


def test_several_names_and_places(apiary: Account) -> None:
    apiary.write("unzipped/bin/humscan", "#!/bin/sh\n", 0o644)
    looked = apiary.ush("look", "cd", apiary.home / "unzipped/bin", apiary.environment())
    assert "cd: ready" in looked.out
    assert "humscan: no execute bit" in looked.out
    assert "environment hive" in looked.out
    assert "ush environment enter hive" in looked.out
    assert "empty" in apiary.ush("look", "", code=2).err


@pytest.mark.parametrize(
    ("said", "version"),
    [
        ("gcc (Debian 12.2.0-14) 12.2.0\nCopyright (C) 2022", "12.2.0"),
        ("hivehum v1.4.2rc1 (built 2026-05-01)", "1.4.2rc1"),
        ("GNU bash, version 5.2.15(1)-release", "5.2.15"),
        ("nothing of the kind 7", ""),
    ],
)
def test_versions_are_read_off_what_a_program_says(said: str, version: str) -> None:
    from unified_shell.core.verification.names.command_versions import version_in

    assert version_in(said) == version
