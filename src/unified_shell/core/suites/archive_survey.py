"""An archive that nothing describes: what is in it, and the description that follows from that.

A ready-built tree has programs in `bin`; a source has the files of a build system. Either way the description is written as
a person would, shown, gone on from, and kept for the next time.
"""

import json
import os
import re
import tempfile

from msgspec import Struct

from unified_shell.core.archives.unpacking import root_of, unpack_archive
from unified_shell.core.catalogs.description import Description
from unified_shell.core.catalogs.parsing import parse_description
from unified_shell.core.errors import CouldNot, UsageError
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.machine.programs.executables import FileKind, read_executable
from unified_shell.core.next_steps import ush

__all__ = [
    "Seen",
    "Surveyed",
    "is_archive_name",
    "name_and_version",
    "programs_in",
    "session_scripts_in",
    "survey_archive",
]

ARCHIVE = re.compile(r"\.(tar(\.\w+)?|tgz|txz|tbz2?|zip)$")
NAMED = re.compile(r"^(?P<name>[a-z][a-z0-9._+-]*?)[-_]v?(?P<version>\d[\d.]*\w*)")
PROGRAMS = (FileKind.ELF, FileKind.SCRIPT)
# The file by which a build system is known, and what it takes; a makefile alone comes last, since others make one too.
BUILDS: tuple[tuple[str, tuple[tuple[str, ...], ...]], ...] = (
    ("configure", (("./configure", "--prefix={prefix}"), ("make", "-j{jobs}"), ("make", "install"))),
    (
        "CMakeLists.txt",
        (
            ("cmake", "-S", ".", "-B", "build", "-DCMAKE_BUILD_TYPE=Release", "-DCMAKE_INSTALL_PREFIX={prefix}"),
            ("cmake", "--build", "build", "-j{jobs}"),
            ("cmake", "--install", "build"),
        ),
    ),
    (
        "meson.build",
        (
            ("meson", "setup", "build", "--prefix={prefix}"),
            ("meson", "compile", "-C", "build"),
            ("meson", "install", "-C", "build"),
        ),
    ),
    ("Makefile", (("make", "-j{jobs}"), ("make", "install", "PREFIX={prefix}", "prefix={prefix}"))),
)


# A script that a person writes to be sourced.
SCRIPT_BYTES = 100_000
SETS_VARIABLE = re.compile(
    rb"^\s*(export\s+\w*(PATH|HOME|ROOT|DIR)\w*\s*(=|$)|\w*PATH=|setenv\s+\w+|set\s+-\w*x\w*\s+\w+)", re.MULTILINE
)
NO_SESSION_SCRIPT = re.compile(rb"^\s*(exec\s+[\"$/\w]|exit\b|while\s+getopts|make\b|autoreconf\b)", re.MULTILINE)


class Seen(Struct, frozen=True, kw_only=True):
    """What was found in an archive: the programs in `bin`, those without the bit that lets them start, for which processors
    they are, what look like session scripts, its read-me, the folder of its manual pages, how it is built.
    """

    programs: tuple[str, ...]
    not_executable: tuple[str, ...]
    architectures: tuple[str, ...]
    scripts: tuple[str, ...]
    read_me: str
    manual: str
    build: tuple[tuple[str, ...], ...]


class Surveyed(Struct, frozen=True, kw_only=True):
    """The description that follows from an archive, the same as a person would write it, and what it follows from."""

    description: Description
    text: str
    seen: Seen


def is_archive_name(text: str) -> bool:
    """Tell whether a text names an archive by its ending."""
    return bool(ARCHIVE.search(text.lower()))


def survey_archive(path: str, host: Host, *, named: str = "", root: str = "", url: str = "") -> Surveyed:
    """Look into an archive and describe it; `named` is `NAME-VERSION` where its file does not say it, `root` the folder in it
    that is meant where there are several, `url` where it came from.

    Raises CouldNot for one that holds neither programs nor a build, UsageError where its name says no version.
    """
    stem = named or ARCHIVE.sub("", os.path.basename(path).lower())
    name, version = name_and_version(stem, path, ("suite", "get"))
    with tempfile.TemporaryDirectory(prefix="ush-survey-") as work:
        folder = join(work, "unpacked")
        unpack_archive(path, folder)
        top = _root(folder, root, path)
        relative = os.path.relpath(top, folder)
        programs = programs_in(top)
        build = next((words for file, words in BUILDS if os.path.isfile(join(top, file))), ())
        seen = Seen(
            programs=programs,
            not_executable=tuple(f"bin/{one}" for one in programs if not os.access(join(top, "bin", one), os.X_OK)),
            architectures=_architectures(top, programs),
            scripts=session_scripts_in(top),
            read_me=next((one for one in sorted(os.listdir(top)) if one.lower().startswith("readme")), ""),
            manual=next((one for one in ("share/man", "man") if os.path.isdir(join(top, one))), ""),
            build=() if programs else build,
        )
    if not programs and not build:
        raise CouldNot(
            f"{os.path.basename(path)} holds no program in bin, and no build that is known:"
            f" {', '.join(file for file, _ in BUILDS)}",
            next_step=ush("suite", "get", "DESCRIPTION.toml", why="docs/descriptions.md says how to write one"),
        )
    other = next((one for one in seen.architectures if one not in (host.architecture, *host.also_runs)), "")
    if other:
        raise CouldNot(
            f"the programs in {os.path.basename(path)} are for {other}; this machine is {host.architecture}"
        )
    text = _text(name, version, path, seen, root="" if relative == "." else relative, host=host, url=url)
    return Surveyed(description=parse_description(text.encode(), path), text=text, seen=seen)


def _root(folder: str, asked: str, path: str) -> str:
    """Return the folder of an archive that holds the software; raises CouldNot where there are several, with their names."""
    if asked:
        if not os.path.isdir(join(folder, asked)):
            raise CouldNot(f"{os.path.basename(path)} has no folder {asked}", next_step=ush("suite", "get", path))
        return join(folder, asked)
    top = root_of(folder)
    if _is_software(top):
        return top
    below = [one for one in sorted(os.listdir(top)) if _is_software(join(top, one))]
    if len(below) > 1:
        names = [os.path.relpath(join(top, one), folder) for one in below]
        raise CouldNot(
            f"{os.path.basename(path)} holds several: {', '.join(names)}",
            next_step=ush("suite", "get", path, "--root", names[0]),
        )
    return join(top, below[0]) if below else top


def _is_software(folder: str) -> bool:
    return bool(programs_in(folder)) or any(os.path.isfile(join(folder, file)) for file, _ in BUILDS)


def _architectures(root: str, programs: tuple[str, ...]) -> tuple[str, ...]:
    facts = [read_executable(join(root, "bin", one)) for one in programs]
    return tuple(sorted({one.architecture for one in facts if one.kind is FileKind.ELF}))


def name_and_version(stem: str, path: str, call: tuple[str, str]) -> tuple[str, str]:
    """Return the name and version in a text such as `humscan-1.4`; raises UsageError, with the call that says them."""
    match = NAMED.match(stem)
    if match is None:
        raise UsageError(
            f"{os.path.basename(path)} does not say its name and version",
            next_step=ush(*call, path, "--as", "NAME-1.0"),
        )
    return match["name"], match["version"].rstrip(".")


def programs_in(root: str) -> tuple[str, ...]:
    """Return the names of the programs and scripts in a tree's `bin`."""
    folder = join(root, "bin")
    names = sorted(os.listdir(folder)) if os.path.isdir(folder) else []
    return tuple(one for one in names if read_executable(join(folder, one)).kind in PROGRAMS)


def session_scripts_in(root: str) -> tuple[str, ...]:
    """Return the files at the top of a tree, in `bin` and in `etc` that do what session scripts do, by their own words:
    they set variables for whoever reads them, and are not started as programs themselves.
    """
    found = []
    for folder in ("", "bin", "etc"):
        place = join(root, folder) if folder else root
        for name in sorted(os.listdir(place)) if os.path.isdir(place) else ():
            path = join(place, name)
            if os.path.isfile(path) and _is_session_script(path):
                found.append(join(folder, name) if folder else name)
    return tuple(found)


def _is_session_script(path: str) -> bool:
    try:
        if os.path.getsize(path) > SCRIPT_BYTES:
            return False
        with open(path, "rb") as file:
            content = file.read()
    except OSError:
        return False
    if b"\0" in content or len(SETS_VARIABLE.findall(content)) < 1:
        return False
    # A program that sets variables for itself ends with what it starts or does.
    return NO_SESSION_SCRIPT.search(content) is None


def _text(name: str, version: str, path: str, seen: Seen, *, root: str, host: Host, url: str) -> str:
    """Return the description as TOML; JSON's texts and lists are TOML's too."""
    folders = f'{{ PATH = "bin", MANPATH = "{seen.manual}" }}' if seen.manual else '{ PATH = "bin" }'
    fetched = f"url = {json.dumps(url)}" if url else f"by-hand = {json.dumps(f'it was at {path}')}"
    lines = [
        'kind = "suite"',
        f"name = {json.dumps(name)}",
        f"version = {json.dumps(version)}",
        f"summary = {json.dumps(f'from {os.path.basename(path)}')}",
        "",
        "[licence]",
        'spdx = "LicenseRef-unknown"',
        "",
        "[[form]]",
        f'kind = "{"source" if seen.build else "binary"}"',
        *([f'platform = "{host.platform}"'] if not seen.build else []),
        f"file = {json.dumps(os.path.basename(path))}",
        fetched,
        f'sha256 = "{digest_of_file(path)}"',
        f"size = {os.path.getsize(path)}",
        *([f"root = {json.dumps(root)}"] if root else []),
        *([f"build = {json.dumps([list(one) for one in seen.build])}"] if seen.build else []),
        *([f"executable = {json.dumps(list(seen.not_executable))}"] if seen.not_executable else []),
        "",
        "[offers]",
        f"search-path = {folders}",
        *(f"# its session script: session-script = {json.dumps(one)}" for one in seen.scripts),
        *([f"# more about it: {seen.read_me}"] if seen.read_me else []),
        "",
    ]
    return "\n".join(lines)
