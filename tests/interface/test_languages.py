"""Environments of other languages: an isolated library, found while it is entered and not otherwise."""

from pathlib import Path

import pytest

from support.account import Account, visible_state

LANGUAGES = {
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
    "r": ("lib/R/.keep", "", ["Rscript", "-e", "cat(basename(dirname(dirname(dirname(.libPaths()[1])))), '\\n')"]),
}


@pytest.mark.parametrize("language", LANGUAGES)
def test_a_library_is_there_while_it_is_entered(account: Account, language: str) -> None:
    module, text, words = LANGUAGES[language]
    # R takes quotes and dollars out of the variable that names its library.
    name = "my hive" if language == "r" else "my 'hive' $x"
    before = visible_state(account.home)
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
    for refused in (("package", "get", "x"), ("variable", "add", "X", "1"), ("package", "drop", "x")):
        assert "packages for Python only" in account.ush(*refused, "-e", name, "--yes", code=3).err
    account.ush("environment", "protect", name, "--yes")
    assert "unprotect" in account.ush("environment", "drop", name, "--yes", code=3).err
    account.ush("undo", "--yes")
    account.ush("environment", "drop", name, "--yes")
    assert visible_state(account.home) == before


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("--language", "hum"), 2, "hum"),
        (("--language", "lua", "--interpreter", "9.9"), 4, "there is no Lua 9.9 on PATH; there is"),
        (("--language", "lua", "--interpreter", "/bin/sh"), 4, "does not start as Lua"),
        (("--language", "lua", "--own-files"), 2, "are for Python's packages"),
    ],
)
def test_what_cannot_be_made_is_told(account: Account, words: tuple[str, ...], code: int, said: str) -> None:
    assert said in account.ush("environment", "new", "hive", *words, "--yes", code=code).err
    assert not account.environment().exists()
