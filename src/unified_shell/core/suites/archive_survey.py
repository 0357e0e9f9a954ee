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

__all__ = ["Surveyed", "is_archive_name", "name_and_version", "programs_in", "survey_archive"]

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


class Surveyed(Struct, frozen=True, kw_only=True):
    """The description that follows from an archive, and the same as a person would write it."""

    description: Description
    text: str


def is_archive_name(text: str) -> bool:
    """Tell whether a text names an archive by its ending."""
    return bool(ARCHIVE.search(text.lower()))


def survey_archive(path: str, host: Host, *, named: str = "") -> Surveyed:
    """Look into an archive and describe it; `named` is `NAME-VERSION` where its file does not say it.

    Raises CouldNot for one that holds neither programs nor a build, UsageError where its name says no version.
    """
    stem = named or ARCHIVE.sub("", os.path.basename(path).lower())
    name, version = name_and_version(stem, path, ("suite", "get"))
    with tempfile.TemporaryDirectory(prefix="ush-survey-") as work:
        folder = join(work, "unpacked")
        unpack_archive(path, folder)
        root = root_of(folder)
        relative = os.path.relpath(root, folder)
        programs = programs_in(root)
        build = next((words for file, words in BUILDS if os.path.isfile(join(root, file))), ())
        manual = os.path.isdir(join(root, "share/man"))
    if not programs and not build:
        raise CouldNot(
            f"{os.path.basename(path)} holds no program in bin, and no build that is known:"
            f" {', '.join(file for file, _ in BUILDS)}",
            next_step=ush("suite", "get", "DESCRIPTION.toml", why="docs/descriptions.md says how to write one"),
        )
    text = _text(
        name,
        version,
        path,
        root="" if relative == "." else relative,
        platform=host.platform if programs else "",
        build=() if programs else build,
        manual=manual,
    )
    return Surveyed(description=parse_description(text.encode(), path), text=text)


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


def _text(
    name: str,
    version: str,
    path: str,
    *,
    root: str,
    platform: str,
    build: tuple[tuple[str, ...], ...],
    manual: bool,
) -> str:
    """Return the description as TOML; JSON's texts and lists are TOML's too."""
    folders = '{ PATH = "bin", MANPATH = "share/man" }' if manual else '{ PATH = "bin" }'
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
        f'kind = "{"source" if build else "binary"}"',
        *([f'platform = "{platform}"'] if platform else []),
        f"file = {json.dumps(os.path.basename(path))}",
        f"by-hand = {json.dumps(f'it was at {path}')}",
        f'sha256 = "{digest_of_file(path)}"',
        f"size = {os.path.getsize(path)}",
        *([f"root = {json.dumps(root)}"] if root else []),
        *([f"build = {json.dumps([list(one) for one in build])}"] if build else []),
        "",
        "[offers]",
        f"search-path = {folders}",
        "",
    ]
    return "\n".join(lines)
