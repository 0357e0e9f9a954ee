"""A table for each standard that we read or write."""

import email.parser
import email.policy
import os
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from packaging.requirements import Requirement
from packaging.specifiers import SpecifierSet
from packaging.tags import Tag
from packaging.utils import canonicalize_name as canonicalized_by_library
from packaging.version import Version

from unified_shell.core.distributions.entry_points import EntryPoint, parse_entry_points
from unified_shell.core.distributions.file_names import FileName
from unified_shell.core.distributions.headers import read_headers
from unified_shell.core.distributions.import_names import import_names
from unified_shell.core.distributions.metadata import parse_metadata
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.distributions.record import RecordRow, hash_text, parse_record, record_text
from unified_shell.core.distributions.sources import source_parts
from unified_shell.core.distributions.tag_facts import TagFacts
from unified_shell.core.distributions.tags import platform_tags, rank_of, supported_tags, tag_ranks
from unified_shell.core.distributions.wheels import parse_wheel_name
from unified_shell.core.environments.trees.launchers import launcher_text, with_first_line
from unified_shell.core.errors import TransferFailed, WheelBroken
from unified_shell.core.indexes.pages import IndexFile, parse_html_page, parse_json_page
from unified_shell.core.resolution.offers import Offers
from unified_shell.core.resolution.questions import Candidate, Listing
from unified_shell.core.resolution.solver import solve
from unified_shell.core.resolution.spaces import make_space
from unified_shell.core.resolution.target import Target

LINUX = TagFacts(
    implementation="cpython",
    version=(3, 11),
    word_size_bits=64,
    architecture="x86_64",
    system="linux",
    libc=("glibc", 2, 36),
)


HERE = Target(
    markers={
        "implementation_name": "cpython",
        "os_name": "posix",
        "platform_machine": "x86_64",
        "platform_python_implementation": "CPython",
        "platform_system": "Linux",
        "python_full_version": "3.11.7",
        "python_version": "3.11",
        "sys_platform": "linux",
    },
    tags=supported_tags(LINUX),
    python="3.11.7",
)


def test_tags_of_this_interpreter_are_those_that_the_library_finds() -> None:
    """The library asks the running interpreter; ours come from facts alone."""
    from packaging import tags

    host_libc = os.confstr("CS_GNU_LIBC_VERSION") or ""
    if not host_libc.startswith("glibc"):
        pytest.skip("no glibc here")
    major, minor = map(int, host_libc.split()[1].split("."))
    facts = TagFacts(
        implementation=sys.implementation.name,
        version=sys.version_info[:2],
        word_size_bits=64,
        architecture=os.uname().machine,
        system="linux",
        libc=("glibc", major, minor),
    )
    assert list(supported_tags(facts)) == list(dict.fromkeys(tags.sys_tags()))


@pytest.mark.parametrize(
    ("change", "first", "has", "lacks"),
    [
        ({}, "manylinux_2_36_x86_64", "manylinux1_x86_64", "manylinux_2_37_x86_64"),
        ({"libc": ("musl", 1, 2)}, "musllinux_1_2_x86_64", "musllinux_1_0_x86_64", "manylinux1_x86_64"),
        ({"word_size_bits": 32}, "manylinux_2_36_i686", "manylinux2010_i686", "manylinux_2_36_x86_64"),
        ({"architecture": "aarch64"}, "manylinux_2_36_aarch64", "manylinux2014_aarch64", "manylinux2010_aarch64"),
        (
            {"architecture": "armv7l", "word_size_bits": 32},
            "manylinux_2_36_armv7l",
            "linux_armv7l",
            "manylinux2014_i686",
        ),
        ({"system": "win32", "architecture": "amd64"}, "win_amd64", "win_amd64", "win32"),
        ({"system": "win32", "architecture": "amd64", "word_size_bits": 32}, "win32", "win32", "win_amd64"),
    ],
    ids=["glibc", "musl", "32 bit", "aarch64", "32 bit ARM", "Windows", "32 bit on Windows"],
)
def test_platforms_follow_from_facts(change: dict[str, object], first: str, has: str, lacks: str) -> None:
    fields = {name: getattr(LINUX, name) for name in LINUX.__struct_fields__} | change
    found = platform_tags(TagFacts(**fields))
    assert next(one for one in found if not one.startswith("linux_")) == first
    assert has in found
    assert lacks not in found


@pytest.mark.parametrize(
    ("tag", "fits"),
    [
        ("cp311-cp311-manylinux_2_17_x86_64", True),
        ("cp39-abi3-manylinux2014_x86_64", True),
        ("py3-none-any", True),
        ("cp312-cp312-manylinux_2_17_x86_64", False),
        ("cp311-cp311t-manylinux_2_17_x86_64", False),
        ("cp311-cp311-musllinux_1_2_x86_64", False),
        ("cp311-cp311-win_amd64", False),
        ("py2-none-any", False),
    ],
)
def test_wheels_fit_or_not(tag: str, fits: bool) -> None:
    assert (rank_of([Tag(*tag.split("-"))], tag_ranks(supported_tags(LINUX))) is not None) is fits


def test_a_wheel_for_the_platform_is_better_than_one_for_any() -> None:
    supported = supported_tags(LINUX)
    order = [
        "cp311-cp311-linux_x86_64",
        "cp311-cp311-manylinux_2_36_x86_64",
        "cp311-cp311-manylinux1_x86_64",
        "cp311-abi3-linux_x86_64",
        "cp310-abi3-linux_x86_64",
        "py3-none-linux_x86_64",
        "py3-none-any",
    ]
    ranks = [rank_of([Tag(*one.split("-"))], tag_ranks(supported)) for one in order]
    assert ranks == sorted(ranks, key=lambda rank: -1 if rank is None else rank)


@pytest.mark.parametrize(
    ("name", "project", "version"),
    [
        ("waggle_io-0.9.1-py3-none-any.whl", "waggle-io", "0.9.1"),
        (
            "Waggle.IO-1!2.0.post1-2_b-cp311-abi3-manylinux1_x86_64.manylinux2010_x86_64.whl",
            "waggle-io",
            "1!2.0.post1",
        ),
        ("waggle-io-0.9.1.tar.gz", None, None),
        ("waggle_io-py3-none-any.whl", None, None),
        ("waggle_io-one-py3-none-any.whl", None, None),
    ],
)
def test_wheel_names(name: str, project: str | None, version: str | None) -> None:
    parsed = parse_wheel_name(name)
    assert (parsed and parsed.project, parsed and str(parsed.version)) == (project, version)


@pytest.mark.parametrize(
    ("name", "project", "version"),
    [
        ("waggle_io-0.9.1.tar.gz", "waggle_io", "0.9.1"),
        ("Waggle-IO-0.9.zip", "Waggle-IO", "0.9"),
        ("waggle.tar.gz", None, None),
        ("waggle_io-next.tar.gz", None, None),
        ("waggle_io-1.0.tar.bz2", None, None),
    ],
)
def test_source_names(name: str, project: str | None, version: str | None) -> None:
    parts = source_parts(name)
    assert (parts and parts.project, parts and parts.version) == (project, version)


@pytest.mark.parametrize(
    "written",
    ["friendly-bard", "Friendly-Bard", "FRIENDLY.BARD", "friendly_bard", "friendly--bard", "FrIeNdLy-._.-bArD"],
)
def test_names_of_the_standard_are_one_project(written: str) -> None:
    """The examples of the specification of names."""
    wheel = written.replace("-", "_")
    listing = Offers(HERE).listing(
        canonicalize_name(written),
        [IndexFile(name=FileName(f"{wheel}-1.0-py3-none-any.whl"), address="")],
        index="apiary",
    )
    assert [str(one.project) for one in listing.candidates] == ["friendly-bard"]


@pytest.mark.parametrize(
    ("specifier", "fits", "others"),
    [
        ("~=2.2", "2.2 2.2.post3 2.9", "2.1 3.0 3.0rc1"),
        ("~=2.2.post3", "2.2.post3 2.9", "2.2 3.0"),
        ("~=1.4.5a4", "1.4.5a4 1.4.5 1.4.9", "1.4.5a3 1.5"),
        ("==3.1", "3.1 3.1.0+bee.1", "3.1.1 3.1a1 3.1.dev1 1!3.1"),
        ("==3.1.*", "3.1 3.1a1 3.1.9 3.1.post1", "3.2 3.0.1"),
        ("==1.1.post1", "1.1.post1", "1.1 1.1.post2"),
        ("==1.0+bee.1", "1.0+bee.1", "1.0 1.0+bee.2"),
        ("!=1.1.post1", "1.1 1.2", "1.1.post1"),
        ("!=1.1.*", "1.0 1.2", "1.1 1.1a1 1.1.post1"),
        (">1.7", "1.7.1 1.8", "1.7 1.7.0.post1 1.7+bee"),
        (">1.7.post2", "1.7.1 1.7.0.post3", "1.7.0"),
        ("<3.1", "3.0 3.0.post1", "3.1 3.1rc1 3.1.dev1"),
        (">=2.0,<3,!=2.5", "2.0 2.9 2.4+bee", "2.5 2.5+bee 3.0"),
        (">=1!1", "1!1 1!2.0", "2024.1"),
        ("===1.0+bee", "1.0+bee", "1.0"),
    ],
)
def test_specifiers(specifier: str, fits: str, others: str) -> None:
    """Those of the version specifiers specification, with its examples of what each admits and does not."""
    assert _admitted(specifier, [*fits.split(), *others.split()]) == {Version(one) for one in fits.split()}


SOME_VERSION = st.from_regex(
    r"(1!)?[0-3](\.[0-2]){0,2}((a|b|rc)[0-2])?(\.post[0-1])?(\.dev[0-1])?(\+bee(\.1)?)?", fullmatch=True
)
SOME_BOUND = st.builds(
    lambda sign, one: f"{sign}{one.split('+')[0]}", st.sampled_from([">=", "<=", ">", "<"]), SOME_VERSION
)


PIECES = (
    "Name: comb",
    "name:x",
    "Requires-Dist: a ;\\n  b",
    "License: Own",
    " more",
    "\\t|",
    "",
    "no colon",
    "a b: c",
    ":",
    "Name:",
)


@given(pieces=st.lists(st.sampled_from(PIECES), max_size=8), end=st.sampled_from(("\n", "\r\n", "\r")))
def test_headers_are_read_as_the_library_of_e_mail_does(pieces: list[str], end: str) -> None:
    content = end.join(pieces).replace("\\n", end).replace("\\t", "\t").encode()
    ours = read_headers(content)
    theirs = email.parser.BytesParser(policy=email.policy.compat32).parsebytes(content, headersonly=True)
    for name in ("Name", "Requires-Dist", "License"):
        assert [one.split() for one in ours.every(name)] == [str(one).split() for one in theirs.get_all(name, [])]


def test_metadata_is_read_in_utf_8() -> None:
    read = parse_metadata(
        "Name: comb\nVersion: 1\nSummary: Bienenstöcke wägen\nLicense: für Bienen\n\n".encode(), "w"
    )
    assert (read.summary, read.licence) == ("Bienenstöcke wägen", "für Bienen")


@given(written=st.text(st.sampled_from("aZ09-_.é İ\n"), max_size=12))
def test_a_project_s_name_is_made_canonical_as_the_library_does(written: str) -> None:
    assert canonicalize_name(written) == canonicalized_by_library(written)


@given(st.sets(SOME_VERSION, min_size=1, max_size=12), st.lists(SOME_BOUND, min_size=1, max_size=3))
def test_bounds_admit_what_they_admit_one_by_one(versions: set[str], bounds: list[str]) -> None:
    """Only some versions are looked at, since what is met turns once along their order."""
    judge = SpecifierSet(",".join(bounds))
    expected = {one for one in map(Version, versions) if judge.contains(one, prereleases=True)}
    assert _admitted(str(judge), versions) == expected


def _admitted(specifier: str, versions: Iterable[str]) -> set[Version]:
    every = sorted(set(map(Version, versions)), reverse=True)
    candidates = tuple(
        Candidate(
            project=canonicalize_name("hive"),
            version=str(one),
            index="apiary",
            file=IndexFile(name=FileName(""), address=""),
        )
        for one in every
    )
    space = make_space(canonicalize_name("hive"), Listing(candidates=candidates), pre_releases=True, pinned=True)
    mask = space.mask(SpecifierSet(specifier))
    return {Version(space.of_bit(bit).version) for bit in space.candidates if bit & mask}


@pytest.mark.parametrize(
    ("marker", "holds"),
    [
        ("python_version >= '3.10'", True),
        ("python_version < '3.2'", False),
        ("python_full_version == '3.11.0rc1'", False),
        ("os_name == 'posix' or os_name == 'nt'", True),
        ("(os_name == 'nt' or sys_platform == 'linux') and platform_machine == 'x86_64'", True),
        ("platform_system != 'Windows' and implementation_name == 'cpython'", True),
        ("'linux' in sys_platform", True),
        ("platform_python_implementation not in 'PyPy Jython'", True),
    ],
)
def test_markers(marker: str, holds: bool) -> None:
    asked = next(solve([Requirement(f"hive; {marker}")], HERE.markers), None)
    assert (asked is not None) is holds


def test_record_is_read_as_it_was_written() -> None:
    rows = (
        RecordRow(path='a "quoted", name.py', digest=hash_text("00" * 32), size_bytes=3),
        RecordRow(path="caf\u00e9.py"),
    )
    assert parse_record(record_text(rows).encode(), "here") == rows
    assert hash_text("00" * 32) == "sha256=AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"
    with pytest.raises(WheelBroken, match="cannot be read"):
        parse_record(b"a,b,not-a-number\n", "here")


def test_metadata_is_read_leniently() -> None:
    text = (
        b"Metadata-Version: 2.4\nName: Waggle.IO\nVersion: 0.9\nRequires-Python: >=3.8\nUnknown: x\n"
        b"Provides-Extra: Long_Name\nRequires-Dist: combgraph (>=1) ;\n  python_version > '3'\n\nName: body\n"
    )
    found = parse_metadata(text, "here")
    assert (found.name, found.extras, found.requires_python) == ("waggle-io", ("long-name",), ">=3.8")
    assert found.requires == ("combgraph (>=1) ; python_version > '3'",)
    with pytest.raises(WheelBroken, match="lacks a project name"):
        parse_metadata(b"Version: 1\n", "here")


@pytest.mark.parametrize(
    ("line", "expected"),
    [
        ("swarm = swarmcast.command:main", ("swarm", "swarmcast.command", "main")),
        ("Swarm-2 = a.b : c.d [extra]", ("Swarm-2", "a.b", "c.d")),
        ("swarm = swarmcast.command", "does not name a function"),
        ("swarm = os; import x:main", "does not name a function"),
        ("../swarm = a:b", "cannot be a file's name"),
        ("-swarm = a:b", "cannot be a file's name"),
        ("a/b = a:b", "cannot be a file's name"),
    ],
)
def test_entry_points(line: str, expected: tuple[str, str, str] | str) -> None:
    text = f"[other]\nx = y\n[console_scripts]\n{line}\n".encode()
    if isinstance(expected, str):
        with pytest.raises(WheelBroken, match=expected):
            parse_entry_points(text, "here")
    else:
        (found,) = parse_entry_points(text, "here")
        assert (found.name, found.module, found.attribute) == expected


@pytest.mark.parametrize(
    ("project", "files", "expected"),
    [
        ("waggle-io", ["waggle/__init__.py", "waggle_io-1.dist-info/RECORD"], ("waggle",)),
        ("combgraph", ["combgraph.py", "__pycache__/combgraph.cpython-311.pyc"], ("combgraph",)),
        ("fast-comb", ["_fastcomb.cpython-311-x86_64-linux-gnu.so"], ("_fastcomb",)),
        ("fast-comb", ["comb.abi3.so", "libcomb.so", "_inner.py"], ("comb",)),
        ("api-hive", ["apis/hive/__init__.py", "apis/field/one.py"], ("apis.field.one", "apis.hive")),
        ("hive", ["tests/__init__.py", "hive/__init__.py", "bees/__init__.py"], ("hive", "bees", "tests")),
        ("data-only", ["hive.libs/libx.so", "notes.txt", "../../../bin/x"], ()),
        ("lib-comb", ["libcomb.py"], ("libcomb",)),
    ],
)
def test_import_names(project: str, files: list[str], expected: tuple[str, ...]) -> None:
    assert import_names(project, files) == expected


JSON_PAGE = """{"meta": {"api-version": "1.1"}, "name": "hive", "files": [
 {"filename": "hive-1-py3-none-any.whl", "url": "../../f/hive-1-py3-none-any.whl", "hashes": {"sha256": "aa"},
  "requires-python": ">=3.8", "yanked": "wrong bees", "core-metadata": {"sha256": "bb"}, "size": 12},
 {"filename": "hive-2.tar.gz", "url": "https://files.apiary.example/hive-2.tar.gz", "hashes": {}, "yanked": false},
 {"filename": "hive-3-py3-none-any.whl", "url": "x", "hashes": {}, "core-metadata": true, "yanked": true}]}"""
HTML_PAGE = """<!DOCTYPE html><html><head><base href="https://index.apiary.example/simple/hive/"></head><body>
 <a href="../../f/hive-1-py3-none-any.whl#sha256={a}" data-requires-python="&gt;=3.8" data-yanked="wrong bees"
    data-core-metadata="sha256={b}">hive-1</a>
 <a href="https://files.apiary.example/hive-2.tar.gz">hive-2</a>
 <a href="x/hive-3-py3-none-any.whl" data-yanked data-dist-info-metadata="true">hive-3</a></body></html>"""


def test_pages_say_the_same_in_both_forms() -> None:
    in_json = parse_json_page(JSON_PAGE.encode(), "https://index.apiary.example/simple/hive/").files
    in_html = parse_html_page(HTML_PAGE.format(a="a" * 64, b="b" * 64), "https://elsewhere.example/").files
    for one, two in zip(in_json, in_html, strict=True):
        assert (one.requires_python, one.yanked) == (two.requires_python, two.yanked)
        assert bool(one.metadata_sha256) == bool(two.metadata_sha256)
    assert in_json[0].address == in_html[0].address == "https://index.apiary.example/f/hive-1-py3-none-any.whl"
    assert (in_html[0].sha256, in_html[0].metadata_sha256) == ("a" * 64, "b" * 64)
    assert (in_json[2].metadata_sha256, in_json[2].yanked) == ("?", "yes")


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (JSON_PAGE.encode()[:-20], "incomplete"),
        (b"[]", "not in the standard format"),
        (b'{"meta": {"api-version": "2.0"}, "files": []}', "version 2.0"),
    ],
)
def test_pages_that_are_not_whole(content: bytes, said: str) -> None:
    with pytest.raises(TransferFailed, match=said):
        parse_json_page(content, "https://index.apiary.example/")


@pytest.mark.parametrize("folder", ["plain", "with a space", "q'uo\"te$(x)`y`\\", "l" * 240])
def test_launchers_start_their_interpreter(tmp_path: Path, folder: str) -> None:
    python = tmp_path / folder / "python"
    python.parent.mkdir()
    python.symlink_to(os.path.realpath(sys.executable))
    module = tmp_path / "bees.py"
    module.write_text("import sys\nclass Hive:\n  @staticmethod\n  def count(): return len(sys.argv) + 40\n")
    entry = EntryPoint(group="console_scripts", name="bees", module="bees", attribute="Hive.count")
    script = tmp_path / "bees"
    script.write_text(launcher_text(entry, str(python)))
    script.chmod(0o755)
    done = subprocess.run([script, "a b"], env={"PYTHONPATH": str(tmp_path)}, capture_output=True, check=False)
    assert done.returncode == 42, done.stderr
    own = with_first_line(b"#!python -u\nimport sys; sys.exit(7)\n", str(python))
    script.write_bytes(own)
    assert subprocess.run([script], check=False).returncode == 7
    assert with_first_line(b"#!/bin/sh\n", str(python)) == b"#!/bin/sh\n"
