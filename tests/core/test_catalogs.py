"""Descriptions and catalogs: every mistake at once, with its line and what was expected."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from support.interpreters import archive_of, catalog_of, script_tree
from unified_shell.core.catalogs.address_book import NamedAddress
from unified_shell.core.catalogs.description import Subject
from unified_shell.core.catalogs.parsing import parse_description
from unified_shell.core.catalogs.reading import find_described, read_catalog, why_unreadable
from unified_shell.core.catalogs.registered import CATALOGS, STARTER
from unified_shell.core.catalogs.toml_lines import key_lines
from unified_shell.core.errors import DescriptionBroken, UshError
from unified_shell.core.machine.host import read_host
from unified_shell.core.machine.locations import locations_of
from unified_shell.core.transfers.fetching import Fetcher

GOOD = """\
kind = "suite"
name = "humscan"
version = "1.4"
summary = "Turns recordings into spectra"
categories = ["acoustics"]

[licence]
spdx = "MIT OR (Apache-2.0 AND BSD-3-Clause)"

[[form]]
kind = "source"
file = "humscan-1.4.tar.xz"
url = "https://catalog.apiary.example/humscan-1.4.tar.xz"
sha256 = "%s"
size = 4000
build = [
  ["make"],
  ["make", "install"],
]

[needs]
commands = { make = ">=4" }
disk = "30 MB"

[offers]
search-path = { PATH = "bin" }

[[check]]
command = ["humscan", "--version"]

[trial]
processes = 2

[[trial.run]]
command = ["humscan", "a.wav"]

[[trial.makes]]
file = "a.csv"
rows = 24
""" % ("0" * 64)

MISTAKES = {
    "a trial that runs nothing": (
        '[[trial.run]]\ncommand = ["humscan", "a.wav"]\n',
        "",
        ["[trial] runs nothing; expected one or more [[trial.run]]"],
    ),
    "a run without words": ('command = ["humscan", "a.wav"]', "", ["command is missing; expected a list of words"]),
    "no compiler's language": (
        'disk = "30 MB"',
        'disk = "30 MB"\ncompilers = ["c", "honey"]',
        ["'honey' in compilers; expected: c, c++, fortran"],
    ),
    "a number without a group": (
        "rows = 24",
        'numbers = [{ pattern = "^310" }]',
        ["expected a regular expression with a group around the number", "value is missing; expected the number"],
    ),
    "no way to compare": ("rows = 24", 'compare = "guess"', ["expected one of: bytes, lines, sorted-lines, no"]),
    "a conditional need that names no failure": (
        'disk = "30 MB"',
        'disk = "30 MB"\n[[needs.conditional]]\nneed = "makeinfo"\nfailure = "("',
        ["failure = '('; expected a regular expression"],
    ),
    "misspelt key": (
        'summary = "',
        'sumary = "',
        ["line 1: summary is missing", "line 4: unknown key 'sumary'"],
    ),
    "number for text": ('version = "1.4"', "version = 1.4", ["line 3: version = 1.4; expected a text"]),
    "no version": ('version = "1.4"', 'version = "newest"', ["line 3: version = 'newest'; expected a version"]),
    "licence in words": ("MIT OR (", "free for all (", ["line 8: spdx = ", "expected an SPDX expression"]),
    "hash too short": ("0" * 64, "0" * 63, ["line 14: sha256 = ", "64 hexadecimal digits"]),
    "both ways to fetch": ("size = 4000", 'by-hand = "sign in"', ["line 13: expected either url, or by-hand"]),
    "commands as text": ('["make", "install"],', '"make install",', ["line 16: build: expected a list of commands"]),
    "size": ('"30 MB"', '"much"', ["line 23: disk = 'much'; expected a size such as '300 MB'"]),
    "outside": (
        'kind = "source"',
        'kind = "source"\nroot = "../x"',
        ["line 12: root = '../x'; expected a place inside"],
    ),
    "no form": ("[[form]]", "[form]", ["line 10: form = ", "expected one or more [[form]]"]),
    "empty check": (
        'command = ["humscan", "--version"]',
        "",
        ["line 28: a [[check]] tries nothing; expected exactly one of"],
    ),
    "no TOML": ("[needs]", "[needs", ["not valid TOML", "line 21"]),
}


@pytest.mark.parametrize(("good", "bad", "told"), MISTAKES.values(), ids=MISTAKES.keys())
def test_mistakes_are_told_with_their_lines(good: str, bad: str, told: list[str]) -> None:
    assert GOOD.count(good) == 1
    with pytest.raises(DescriptionBroken) as caught:
        parse_description(GOOD.replace(good, bad).encode(), "humscan.toml")
    for one in told:
        assert one in str(caught.value)


def test_all_mistakes_are_told_at_once_and_a_good_file_is_read() -> None:
    worse = GOOD.replace('"1.4"', '"x"', 1).replace("0" * 64, "y").replace('"30 MB"', "30")
    with pytest.raises(DescriptionBroken, match="3 mistakes") as caught:
        parse_description(worse.encode(), "humscan.toml")
    assert [line.split(":")[0].strip() for line in str(caught.value).splitlines()[1:]] == [
        "line 3",
        "line 14",
        "line 23",
    ]
    found = parse_description(GOOD.encode(), "humscan.toml")
    assert found.forms[0].build == (("make",), ("make", "install"))
    assert (found.needs.disk_bytes, found.offers.search_paths) == (30_000_000, (("PATH", "bin"),))
    assert found.trial is not None
    assert found.trial.processes == 2


@given(
    st.lists(
        st.sampled_from(
            ["a = 1", 'b.c = "x"', "[t]", "[[u]]", "[u.w]", "d = [\n1,\n2]", 'e = """\n[x]\n"""', "# c", ""]
        ),
        max_size=12,
    )
)
def test_lines_of_keys_are_where_the_keys_are(lines: list[str]) -> None:
    text = "\n".join(lines)
    rows = text.splitlines()
    for keys, line in key_lines(text).items():
        names = [key for key in keys if isinstance(key, str)]
        assert names[-1] in rows[line - 1], (keys, line)


def test_a_catalog_is_checked_on_reading(tmp_path: Path) -> None:
    archive = archive_of(script_tree(tmp_path / "lua"), tmp_path / "lua.tar.gz")
    folder = catalog_of(tmp_path / "catalog", archive)
    fetcher, address = Fetcher(read_host()), NamedAddress(name="apiary", address=folder.as_uri())
    read = read_catalog(address, fetcher)
    assert ([one.description.name for one in read.listed], read.faults) == (["lua"], ())
    found = find_described([address], fetcher, lambda one: one.version.startswith("5.4"))
    assert found is not None
    assert find_described([address], fetcher, lambda one: one.version == "5.3") is None
    (folder / "catalog.toml").write_text(f'[[description]]\nfile = "lua.toml"\nsha256 = "{"0" * 64}"\n')
    assert "is not the one that the catalog lists" in why_unreadable(folder.as_uri(), fetcher)
    (folder / "catalog.toml").write_text('[[description]]\nfile = "gone.toml"\n')
    assert "there is no gone.toml" in why_unreadable(folder.as_uri(), fetcher)
    (folder / "catalog.toml").write_text('[[describtion]]\nfile = "lua.toml"\n')
    with pytest.raises(UshError, match="did you mean description"):
        read_catalog(address, fetcher)


def test_a_catalogs_entries_stay_inside_and_their_archives_may_stand_beside_them(tmp_path: Path) -> None:
    (tmp_path / "catalog").mkdir()
    archive = archive_of(script_tree(tmp_path / "lua"), tmp_path / "catalog/lua.tar.gz")
    folder = catalog_of(tmp_path / "catalog", archive, '[offers]\nsearch-path = { PATH = ["bin", "tools"] }')
    text = (folder / "lua.toml").read_text().replace(archive.as_uri(), archive.name)
    (folder / "lua.toml").write_text(text)
    fetcher, address = Fetcher(read_host()), NamedAddress(name="apiary", address=folder.as_uri())
    (listed,) = read_catalog(address, fetcher).listed
    assert listed.description.forms[0].archive.url == archive.as_uri()
    assert listed.description.offers.search_paths == (("PATH", "bin"), ("PATH", "tools"))
    (folder / "bad.toml").write_text("kind = 'hive'\n" + "".join(f"wrong{n} = 1\n" for n in range(16)))
    (folder / "catalog.toml").write_text('[[description]]\nfile = "lua.toml"\n[[description]]\nfile = "bad.toml"\n')
    assert find_described([address], fetcher, lambda one: one.language == "lua") is not None
    with pytest.raises(DescriptionBroken, match=r"bad\.toml") as caught:
        find_described([address], fetcher, lambda one: one.language == "r")
    assert all(f"wrong{n}" in str(caught.value) for n in range(16)), "each mistake"
    (folder / "catalog.toml").write_text('[[description]]\nfile = "../lua.toml"\n')
    with pytest.raises(DescriptionBroken, match="beside the catalog's list"):
        read_catalog(address, fetcher)


def test_the_starter_catalog_is_whole_and_says_how_each_is_proved() -> None:
    read = read_catalog(STARTER, Fetcher(read_host()))
    assert read.faults == ()
    suites = [one.description for one in read.listed if one.description.subject is Subject.SUITE]
    assert len(suites) == 14
    hashes = [form.archive.sha256 for one in read.listed for form in one.description.forms]
    assert len(set(hashes)) == len(hashes), "no archive stands for two"
    for described in suites:
        (form,) = described.forms
        assert form.archive.size_bytes, described.name
        assert form.archive.url or form.archive.by_hand, described.name
        assert described.needs.compilers, described.name
        assert described.checks, described.name
        trial = described.trial
        assert trial is not None, described.name
        proved = [one for one in trial.makes if one.says or one.counts or one.numbers or one.same_as]
        assert proved, f"{described.name}: a result that is known independently"
        assert trial.expected_seconds <= trial.limit_seconds
    # A name of it is a person's own catalog's first: the shipped one is asked last.
    host = replace(read_host(), variables=(("USH_HOME", "/nowhere"),))
    assert CATALOGS.read_all(host, locations_of(host))[-1] == STARTER
