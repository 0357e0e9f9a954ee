"""Interpreters as they are found: of every language by one table, broken ones, and answers that are kept."""

import contextlib
import os
import shutil
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.account import BASE_PYTHON
from unified_shell.core.commands.states import State
from unified_shell.core.errors import BuildFailed
from unified_shell.core.installation.prerequisites import missing_pieces
from unified_shell.core.installation.workplaces import kept_workplace, mark_done
from unified_shell.core.installation.workshop import Workshop
from unified_shell.core.interpreters.answers import Answers
from unified_shell.core.interpreters.discovery import discover
from unified_shell.core.interpreters.getting.building import BuildOptions, build
from unified_shell.core.interpreters.getting.parts import PARTS
from unified_shell.core.interpreters.languages import find_language, languages
from unified_shell.core.interpreters.other_languages import language_named
from unified_shell.core.interpreters.requesting import version_fits
from unified_shell.core.machine.host import Host, read_host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.machine.places import Place, join
from unified_shell.core.verification.modules.module_states import look_for_module

ALL = bool(os.environ.get("USH_TEST_ALL_SHELLS"))
# A module that comes with each, and one whose name is there but that does not load.
REAL = {
    "r": ("Rscript", "stats", True),
    "lua": ("lua5.4", "string", True),
    "luajit": ("luajit", "ffi", False),
    "perl": ("perl", "File::Temp", True),
    "node": ("node", "fs", False),
    "octave": ("octave-cli", "inputname", False),
    "ruby": ("ruby", "set", True),
    "tcl": ("tclsh", "http", False),
    "guile": ("guile", "ice-9/match", False),
}


def _host(home: Path, *folders: Path | str) -> Host:
    return read_host({"HOME": str(home), "PATH": ":".join(map(str, folders)), "LANG": "C.UTF-8"})


def test_the_table_is_whole_and_a_name_is_of_one_language() -> None:
    names = ["python", "python3", "python3.12", "python3.13t", "Rscript", "lua", "lua5.4", "luajit", "perl5.36.0"]
    names += ["node", "nodejs", "octave-cli", "ruby3.1", "tclsh8.6", "guile-3.0"]
    for name in names:
        assert len([one for one in languages() if one.is_executable_name(name)]) == 1, name
    for wrong in ("pythonista", "python3-config", "luac", "perldoc", "node_modules", "R", "rubygems"):
        assert not [one for one in languages() if one.is_executable_name(wrong)], wrong
    for one in languages():
        assert one.search_paths
        assert one.debian_package
        assert one.name == "python" or (one.module and one.absent and one.version_pattern)
    assert find_language("R") == find_language("r") == language_named("r")


@given(st.text(max_size=20))
def test_no_name_of_a_module_can_break_out_of_a_question(name: str) -> None:
    for one in languages():
        if one.is_module_name(name):
            assert not set(name) & set("'\"`$;()[]{}\\\n\0 &|<>"), one.name


@pytest.mark.parametrize("language", REAL)
def test_a_real_interpreter_is_found_and_tells_present_from_absent(language: str, tmp_path: Path) -> None:
    program, present, needed = REAL[language]
    place = shutil.which(program, path="/usr/bin")
    if place is None:
        if ALL and needed:
            pytest.fail(f"{program} is not here")
        pytest.skip(f"{program} is not here")
    folder = tmp_path / "only"
    folder.mkdir()
    (folder / program).symlink_to(place)
    host = _host(tmp_path, folder)
    found = [one for one in discover(host).others if str(folder / program) in one.names]
    assert [one.language for one in found] == [language]
    assert found[0].version[0].isdigit()
    assert found[0].on_path
    there = look_for_module(present, host, locations_of(host))
    title = f"{found[0].title} {found[0].version}"
    assert title in [one.owner for one in there.holders if one.state is State.READY]
    absent = look_for_module("no_such_9", host, locations_of(host))
    if language_named(language).is_module_name("no_such_9"):
        assert title in absent.without, [one.why for one in absent.holders]
    assert absent.state is State.ABSENT


def test_a_module_that_is_there_and_does_not_load_is_broken(tmp_path: Path) -> None:
    perl = Path("/usr/bin/perl")
    if not perl.exists():
        pytest.skip("perl is not here")
    (tmp_path / "Hum.pm").write_text("use No::Such::Queen; 1;")
    host = read_host({"HOME": str(tmp_path), "PATH": "/usr/bin", "PERL5LIB": str(tmp_path)})
    report = look_for_module("Hum", host, locations_of(host))
    states = {one.language: (one.state, one.why) for one in report.holders}
    assert states["Perl"][0] is State.BROKEN
    assert "No/Such/Queen" in states["Perl"][1]


def test_broken_interpreters_are_rows_with_a_cause(tmp_path: Path) -> None:
    folder = tmp_path / "bin"
    folder.mkdir()
    (folder / "python3").symlink_to(BASE_PYTHON)
    (folder / "python").symlink_to(BASE_PYTHON)
    made = {
        "python3.1": b"",
        "python3.2": b"print('hello')\n",
        "python3.3": b"#!/no/such/interpreter\n",
        "python3.4": b"#!/bin/sh\n/bin/sleep 60\n",
        "python3.5": b"#!/bin/sh\necho noise; exec " + os.fsencode(BASE_PYTHON) + b' "$@"\n',
        "python3.6": Path(BASE_PYTHON).read_bytes()[:3000],
    }
    for name, content in made.items():
        (folder / name).write_bytes(content)
        (folder / name).chmod(0o755)
    (folder / "python3.7").symlink_to("python3.8")
    (folder / "python3.8").symlink_to("python3.7")
    (folder / "python3.9").symlink_to("gone")
    found = {
        os.path.basename(name): one
        for one in discover(_host(tmp_path, folder)).python
        for name in one.names
        if name.startswith(str(folder))
    }
    assert found["python"] is found["python3"], "one binary by two names is one row"
    assert found["python3"].facts is not None
    shim = found["python3.5"]
    assert shim.script
    assert shim.facts is not None
    assert shim.facts.full_version == found["python3"].facts.full_version
    said = {
        "python3.1": "empty file",
        "python3.2": "no program",
        "python3.3": "needs /no/such/interpreter",
        "python3.4": "did not end",
        "python3.6": "SIGSEGV",
        "python3.9": "dangling link",
    }
    for name, words in said.items():
        assert found[name].facts is None
        assert words in found[name].trouble, name
    assert found["python3.7"].facts is None


def test_an_answer_holds_until_something_that_it_depends_on_changes(tmp_path: Path) -> None:
    program, library = tmp_path / "program", tmp_path / "library"
    program.write_text("1")
    library.mkdir()
    link = tmp_path / "link"
    link.symlink_to("program")
    depends_on = [str(link), str(library), str(tmp_path / "not there")]

    def kept() -> object:
        return Answers(str(tmp_path / "cache")).recall("x")

    def keep() -> None:
        answers = Answers(str(tmp_path / "cache"))
        answers.keep("x", "said", depends_on)
        answers.save()

    def later(path: Path) -> None:
        os.utime(path, ns=(time.time_ns(), path.stat().st_mtime_ns + 1_000_000))

    changes = (
        lambda: program.write_text("22"),
        lambda: later(program),
        lambda: (library / "optional.so").write_text(""),
        (tmp_path / "not there").mkdir,
        lambda: os.replace(shutil.copy(program, tmp_path / "other"), link),
        lambda: shutil.rmtree(library),
    )
    assert kept() is None
    for change in changes:
        keep()
        assert kept() == "said"
        change()
        assert kept() is None
    keep()
    (tmp_path / "cache" / "interpreters.json").write_text("{broken")
    assert kept() is None


def test_a_second_look_starts_no_interpreter_and_sees_what_came(
    tmp_path: Path, tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch
) -> None:
    counted = tmp_path_factory.mktemp("elsewhere") / "count"
    here = tmp_path / "study"
    here.mkdir()
    monkeypatch.chdir(here)
    folder = tmp_path / "bin"
    folder.mkdir()
    (folder / "python3").write_text(f'#!/bin/sh\necho x >> {counted}\nexec {BASE_PYTHON} "$@"\n')
    (folder / "python3").chmod(0o755)
    host = _host(tmp_path, folder)
    first, again = discover(host).python, discover(host).python
    assert first == again
    assert counted.read_text() == "x\n"
    # A script may go by settings: of the session, or in hidden files where one stands.
    (tmp_path / "settings").write_text("3.12")
    discover(host)
    (here / ".python-here").write_text("3.12")
    discover(_host(tmp_path, folder))
    assert counted.read_text() == "x\n" * 3
    discover(read_host({**dict(host.variables), "HIVE_PYTHON": "3.12"}))
    assert counted.read_text() == "x\n" * 4


def test_roots_are_scanned(tmp_path: Path) -> None:
    deep = tmp_path / "suite" / "private" / "bin"
    deep.mkdir(parents=True)
    (deep / "python3.11").symlink_to(sys.executable)
    found = discover(_host(tmp_path, "/usr/bin"), roots=[str(tmp_path)])
    assert [one.names for one in found.python] == [(str(deep / "python3.11"),)]
    assert not found.others


def test_versions_as_a_person_types_them() -> None:
    for asked, fits in {
        "3.12": True,
        "3": True,
        "3.1": False,
        "3.12.1": True,
        ">=3.11,<3.13": True,
        "": True,
        "3.12.2": False,
    }.items():
        assert version_fits("3.12.1", asked) is fits, asked
    assert version_fits("3.13.0rc1", "3.13")
    assert version_fits("1.2.3-odd+", "") is True


def test_what_a_build_lacks_is_told_by_compiler_and_linker() -> None:
    host = read_host()
    gone = missing_pieces(("stdio.h", "no/such.h", "string.h"), ("c", "nosuchlib", "m"), host)
    assert gone == ("no/such.h", "-lnosuchlib")
    assert len({one.name.lower() for one in PARTS}) == len(PARTS)
    assert all(one.headers and one.libraries and one.package and one.modules for one in PARTS)


CONFIGURE = """\
echo configured >> {log}
cat > Makefile <<'END'
PREFIX = {prefix}
all:
\techo compiled >> {log}
install:
\tmkdir -p $(PREFIX)/bin
\tprintf '#!/bin/sh\\nexit 0\\n' > $(PREFIX)/bin/python3
\tchmod +x $(PREFIX)/bin/python3
END
"""


@pytest.mark.parametrize("last", ["configure", "compile", "install", ""])
def test_a_build_goes_on_where_it_was_interrupted(tmp_path: Path, last: str) -> None:
    """Interrupted in each phase; what came to its end before is not done again, and what is whole leaves no folder."""
    host, log = _host(tmp_path, *os.environ["PATH"].split(":")), tmp_path / "told"
    locations = locations_of(host)
    staging = tmp_path / "staging"
    staging.mkdir()

    said: list[str] = []

    def attempt(phase_to_break: str) -> None:
        def progress(phase: str) -> None:
            if phase_to_break and phase == phase_to_break:
                raise KeyboardInterrupt

        with kept_workplace("key", Place(str(staging)), locations, said.append) as work:
            shop = Workshop(folder=work, log=Place(str(tmp_path / "log")), host=host, progress=progress)
            source = join(work, "unpacked")
            os.makedirs(source, exist_ok=True)
            with open(join(source, "configure"), "w") as file:
                file.write(CONFIGURE.format(log=log, prefix=shop.prefix))
            built = build("python", source, "/nowhere", BuildOptions(), shop)
            assert os.path.exists(join(built, "bin/python3"))

    if last:
        with pytest.raises(KeyboardInterrupt):
            attempt(last)
    assert said == (["what was built is kept; the same command goes on with it"] if last else [])
    attempt("")
    told = log.read_text().split()
    assert told.count("configured") == 1
    assert told.count("compiled") == (2 if last == "install" else 1)
    assert not list(Path(locations.cache, "builds").glob("key/*"))
    with (
        contextlib.suppress(BuildFailed),
        kept_workplace("key", Place(str(staging)), locations, said.append) as work,
    ):
        mark_done(work, "configure")
        raise BuildFailed("x")
    assert not list(Path(locations.cache, "builds").glob("key/*")), "what failed is begun anew"
