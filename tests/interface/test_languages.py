"""Environments of other languages: an isolated library, found while it is entered and not otherwise."""

from pathlib import Path

import pytest

from support.account import Account, visible_state

LANGUAGES: dict[str, tuple[str, str, list[str]]] = {
    "lua": (
        "lib/lua/bee.lua",
        "return {hum = function() return 'hums' end}",
        ["lua", "-e", "print(require('bee').hum())"],
    ),
    "perl": (
        "lib/perl5/Bee.pm",
        "package Bee; sub hum {'hums'} 1;",
        ["perl", "-MBee", "-e", "print Bee::hum(), qq(\\n)"],
    ),
    "node": (
        "lib/node_modules/bee/index.js",
        "module.exports = 'hums'",
        ["node", "-e", "console.log(require('bee'))"],
    ),
    "ruby": ("lib/ruby/bee.rb", "def hum = 'hums'", ["ruby", "-rbee", "-e", "puts hum"]),
    "tcl": (
        "lib/tcl/bee/pkgIndex.tcl",
        "package ifneeded bee 1.0 {package provide bee 1.0; proc hum {} {return hums}}",
        ["tclsh", "hum.tcl"],
    ),
    "r": ("lib/R/.keep", "", ["Rscript", "-e", "cat(basename(dirname(dirname(dirname(.libPaths()[1])))), '\\n')"]),
}


@pytest.mark.parametrize("language", LANGUAGES)
def test_a_library_is_there_while_it_is_entered(account: Account, language: str) -> None:
    module, text, words = LANGUAGES[language]
    # What a language takes for more than itself is refused, and told.
    name = {"r": "my hive", "perl": "my 'hive' x"}.get(language, "my 'hive' $x")
    account.write("hum.tcl", "package require bee; puts [hum]")
    before = visible_state(account.home)
    if name != "my 'hive' $x":
        refused = account.ush("environment", "new", "my 'hive' $x", "--language", language, "--yes", code=2).err
        assert "has a special meaning" in refused
    made = account.ush("environment", "new", name, "--language", language, "--yes")
    assert "its library is" in made.out
    prefix = account.environment(name)
    path = prefix / module
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)
    said = account.ush("environment", "run", name, "--", *words).out.strip()
    assert said == ("hums" if language != "r" else name)
    entered = account.run(["/bin/sh", "-c", '. "$1/enter.sh"; shift; exec "$@"', "sh", str(prefix), *words])
    assert entered.out.strip() == said
    assert account.run(words).out.strip() != said, "not otherwise"
    account.ush("verify", name)
    assert Path(words[0]).name in account.ush("environment", "show", name).out
    for call in (("package", "get", "x"), ("variable", "add", "X", "1"), ("package", "drop", "x")):
        assert "packages for Python only" in account.ush(*call, "-e", name, "--yes", code=3).err
    account.ush("environment", "protect", name, "--yes")
    assert "unprotect" in account.ush("environment", "drop", name, "--yes", code=3).err
    account.ush("undo", "--yes")
    account.ush("environment", "drop", name, "--yes")
    assert visible_state(account.home) == before


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("--language", "hum"), 2, "hum"),
        (("--language", "lua", "--interpreter", "9.9"), 4, "there is no Lua 9.9 on this machine; there is"),
        (("--language", "lua", "--interpreter", "/bin/sh"), 4, "does not start as Lua"),
        (("--language", "lua", "--own-files"), 2, "are for Python's packages"),
    ],
)
def test_what_cannot_be_made_is_told(account: Account, words: tuple[str, ...], code: int, said: str) -> None:
    assert said in account.ush("environment", "new", "hive", *words, "--yes", code=code).err
    assert not account.environment().exists()


def test_perls_own_installer_puts_a_module_into_the_library_also_where_its_place_has_blanks(tmp_path: Path) -> None:
    home = tmp_path / "bee keeper's home"
    home.mkdir()
    account = Account(home)
    account.ush("environment", "new", "hive", "--language", "perl", "--yes")
    source = home / "song"
    account.write("song/lib/HiveSong.pm", "package HiveSong; our $VERSION = '1.0'; sub hum {'hums'} 1;")
    account.write("song/Makefile.PL", "use ExtUtils::MakeMaker; WriteMakefile(NAME => 'HiveSong', VERSION => '1.0');")
    built = f"cd '{source.name}' && perl Makefile.PL && make && make install"
    account.ush("environment", "run", "hive", "--", "sh", "-c", built)
    assert (account.environment() / "lib/perl5/HiveSong.pm").exists()
    assert not [one for one in tmp_path.rglob("HiveSong.pm") if not one.is_relative_to(home)]
    said = account.ush("environment", "run", "hive", "--", "perl", "-MHiveSong", "-e", "print HiveSong::hum()")
    assert said.out == "hums"


def test_a_library_that_its_interpreter_does_not_find_is_a_fault(tmp_path: Path) -> None:
    home = tmp_path / "bee keeper"
    home.mkdir()
    account = Account(home)
    account.ush("environment", "new", "hive", "--language", "tcl", "--yes")
    library = account.environment() / "lib/tcl"
    untouched = library.stat().st_mtime_ns
    account.ush("verify", "hive")
    assert library.stat().st_mtime_ns == untouched, "nothing was put there, not for a moment"
    own = account.environment() / "environment.json"
    # As an earlier version wrote it: two words to Tcl.
    own.write_text(own.read_text().replace("bee\\\\ keeper", "bee keeper"))
    assert "TCLLIBPATH does not lead to it" in account.ush("verify", "hive", code=1).out
    assert not list(library.iterdir())


def test_an_interpreter_of_another_language_is_adopted_and_carries_environments(account: Account) -> None:
    before = visible_state(account.home)
    (account.home / "odd/bin").mkdir(parents=True)
    (account.home / "odd/bin/lua").symlink_to("/usr/bin/lua5.4")
    adopted = account.ush("interpreter", "adopt", "odd", "--name", "comb", "--yes").out
    assert "Register Lua 5.4" in adopted
    assert "registered already, as comb" in account.ush("interpreter", "adopt", "odd", "--yes").out
    account.ush("environment", "new", "hive", "--language", "lua", "--interpreter", "comb", "--yes")
    shown = account.ush("environment", "show", "hive", "--json").json()
    assert shown["environment"]["contents"]["interpreter"] == f"{account.home}/odd/bin/lua"
    refused = account.ush("environment", "new", "other", "--interpreter", "comb", "--yes", code=4).err
    assert "of another language (lua), not a Python" in refused
    assert "all passed" in account.ush("verify", "comb").out
    (account.home / "odd/bin/lua").unlink()
    (account.home / "odd/bin/lua").symlink_to("/usr/bin/true")
    assert "FAULT" in account.ush("verify", "comb", code=1).out
    (account.home / "odd/bin/lua").unlink()
    assert "FAULT" in account.ush("verify", "comb", code=1).out
    account.ush("interpreter", "adopt", "/usr/bin/true", "--yes", code=4)
    dropped = account.ush("interpreter", "drop", "comb", "--yes").out
    assert "hive" in dropped, "the environment on it is told"
    account.ush("undo", "2", "--yes")
    account.ush("undo", "1", "--through", "--yes")
    (account.home / "odd/bin").rmdir()
    (account.home / "odd").rmdir()
    assert visible_state(account.home) == before
