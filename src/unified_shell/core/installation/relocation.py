"""Letting a tree that was built for one place stand on its own in another.

What names the old place is told by kind: run paths of programs and libraries become relative to the file; a
place compiled in is overwritten where the new one is no longer; scripts, build settings and other texts are
rewritten; links inside the tree become relative; rows of RECORD follow the files that were changed. Byte code
is left alone: importing it sets its file names anew. What was established by trying says why.
"""

import os
import re
from collections.abc import Iterator

from msgspec import Struct

from unified_shell.core.distributions.record import RecordRow, hash_text, parse_record, record_text
from unified_shell.core.distributions.shebangs import shebang_lines
from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.common_dirs import SHARED_PREFIXES
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.files.durable import exchange_file
from unified_shell.core.machine.files.place_texts import with_place_replaced
from unified_shell.core.machine.places import join
from unified_shell.core.machine.programs.elf import DT_RPATH, DT_RUNPATH, ElfFile, parse_elf
from unified_shell.core.machine.programs.elf_rewriting import ElfUnchangeable, with_run_paths
from unified_shell.core.machine.programs.shared_libraries import resolve_libraries

__all__ = ["Relocated", "check_libraries", "relocate_tree"]

# Scripts and settings that name a place are small; larger texts are data.
TEXT_LIMIT_BYTES = 4_000_000
# Enough to see whether a file is text or a program.
HEAD_BYTES = 8192
BUILD_SETTINGS = re.compile(r"_sysconfigdata.*\.py|Makefile|.*\.pc|python[\d.]*t?-config(\.py)?")
CONFIG_SCRIPT = re.compile(r"python[\d.]*t?-config")
# Of `python-config.sh.in`, 3.8 to 3.13.
UNQUOTED = (
    (b'RESULT=$(dirname $(cd $(dirname "$1") && pwd -P))', b'RESULT=$(dirname "$(cd "$(dirname "$1")" && pwd -P)")'),
    (b"    echo $RESULT\n", b'    echo "$RESULT"\n'),
)
BYTE_CODE = (".pyc", ".pyo", ".a", ".o")


class Relocated(Struct, frozen=True, kw_only=True):
    """What was rewritten: numbers of programs and libraries, texts, links; `stuck` ones that still name the old place."""

    programs: int = 0
    texts: int = 0
    links: int = 0
    stuck: tuple[str, ...] = ()


def relocate_tree(tree: str, old: str, new: str, *, finds_itself: bool = True) -> Relocated:
    """Rewrite a tree, standing in staging, that was built for `old` and will stand at `new`.

    `finds_itself`: its program finds its files from where it stands, as CPython does, and falls back to a
    compiled place only; else every path below the old place that is compiled in is rewritten as well.
    Raises CouldNot where a program cannot be freed.
    """
    programs, texts, links = 0, 0, 0
    changed: list[str] = []
    stuck: list[str] = []
    for path in _files(tree):
        if os.path.islink(path):
            links += _relocate_link(path, tree, old)
            continue
        content = _read_if_it_names(path, old)
        if content is None:
            continue
        if content.startswith(b"\x7fELF"):
            fresh = _relocated_program(content, path, tree, old, new)
            if not finds_itself:
                fresh = _with_paths(fresh, os.fsencode(old), os.fsencode(new))
            still = _holds_prefix(fresh, old) or (not finds_itself and os.fsencode(f"{old}/") in fresh)
            stuck += [os.path.relpath(path, tree)] if still else []
            programs += fresh != content
        else:
            fresh = _relocated_text(content, path, tree, old, new)
            texts += fresh != content
        if fresh != content:
            exchange_file(path, fresh)
            changed.append(path)
    _update_records(tree, changed)
    return Relocated(programs=programs, texts=texts, links=links, stuck=tuple(stuck))


def check_libraries(tree: str, old: str) -> tuple[str, ...]:
    """Return what the tree's programs and extension modules would load from `old`, as if it were hidden.

    Each line names the file and the library. Libraries that are found nowhere, old place or not, are none
    of the move's faults and are left out.
    """
    faults = []
    for path in _files(tree):
        if os.path.islink(path) or not _is_entry(path):
            continue
        for name, place in resolve_libraries(path, hidden=old).items():
            if place is None and resolve_libraries(path).get(name):
                faults.append(f"{os.path.relpath(path, tree)} needs {name} from {old}")
    return tuple(faults)


def _files(tree: str) -> Iterator[str]:
    for folder, below, names in os.walk(tree):
        for name in (*names, *(one for one in below if os.path.islink(join(folder, one)))):
            yield join(folder, name)


def _is_entry(path: str) -> bool:
    """Tell whether a file is an executable or an extension module; libraries beside them are theirs to find."""
    name = os.path.basename(path)
    if f"{os.sep}bin{os.sep}" in path:
        return os.access(path, os.X_OK)
    return name.endswith(".so") and not name.startswith("lib")


def _read_if_it_names(path: str, old: str) -> bytes | None:
    """Return a file's content where it names the old place and is of a kind that is rewritten."""
    if path.endswith(BYTE_CODE):
        return None
    try:
        with open(path, "rb") as file:
            head = file.read(HEAD_BYTES)
            is_program = head.startswith(b"\x7fELF")
            if not is_program and (b"\0" in head or os.fstat(file.fileno()).st_size > TEXT_LIMIT_BYTES):
                return None
            content = head + file.read()
    except OSError as error:
        raise CouldNot(f"{path} cannot be read: {(error.strerror or '').lower()}") from error
    return content if os.fsencode(old) in content else None


def _relocate_link(path: str, tree: str, old: str) -> int:
    target = os.readlink(path)
    if not target.startswith(f"{old.rstrip('/')}/"):
        return 0
    inside = join(tree, os.path.relpath(target, old))
    os.unlink(path)
    os.symlink(os.path.relpath(inside, os.path.dirname(path)), path)
    return 1


def _relocated_program(content: bytes, path: str, tree: str, old: str, new: str) -> bytes:
    try:
        elf = parse_elf(content)
        fresh = with_run_paths(content, elf, _run_paths(elf, path, tree, old))
    except ElfUnchangeable as error:
        raise CouldNot(
            f"{os.path.relpath(path, tree)} cannot be made relocatable from {old}: {error}",
            next_step="build it from its source instead",
        ) from error
    except (ValueError, OverflowError):
        # Separated debug information has an ELF head and no content.
        return content
    return _with_prefix(fresh, os.fsencode(old), os.fsencode(new))


def _run_paths(elf: ElfFile, path: str, tree: str, old: str) -> dict[str, str]:
    """Return for each run path of a file that names the old place the one to put there."""
    wanted = {}
    for text in (*elf.texts(DT_RUNPATH), *elf.texts(DT_RPATH)):
        parts = []
        for part in text.split(":"):
            if part == old or part.startswith(f"{old.rstrip('/')}/"):
                inside = join(tree, os.path.relpath(part, old))
                steps = os.path.relpath(inside, os.path.dirname(path))
                part = "$ORIGIN" if steps == "." else f"$ORIGIN/{steps}"
            if part not in parts:
                parts.append(part)
        wanted[text] = ":".join(parts)
    return wanted


def _with_prefix(content: bytes, old: bytes, new: bytes) -> bytes:
    """Overwrite the prefix that a program falls back to, where it stands alone and the new one is no longer."""
    if len(new) > len(old):
        return content
    return content.replace(b"\0" + old + b"\0", b"\0" + new + b"\0" * (len(old) - len(new) + 1))


def _with_paths(content: bytes, old: bytes, new: bytes) -> bytes:
    """Rewrite paths below the old place, each to the same length by more slashes.

    So whatever else is in a string, or shares its end, stays where it is.
    """
    if len(new) > len(old):
        return content
    return re.sub(
        rb"(?<![A-Za-z0-9_.+~-])" + re.escape(old + b"/"), lambda _: new + b"/" * (len(old) - len(new) + 1), content
    )


def _holds_prefix(content: bytes, old: str) -> bool:
    return b"\0" + os.fsencode(old) + b"\0" in content


def _relocated_text(content: bytes, path: str, tree: str, old: str, new: str) -> bytes:
    old_bytes = os.fsencode(old)
    line, newline, rest = content.partition(b"\n")
    shared = old in SHARED_PREFIXES
    if shared and not BUILD_SETTINGS.fullmatch(os.path.basename(path)):
        rest_relocated = rest
    else:
        rest_relocated = with_place_replaced(rest, old, _as_written(new, path))
    if CONFIG_SCRIPT.fullmatch(os.path.basename(path)) and line.endswith(b"/sh"):
        rest_relocated = _with_words_kept(rest_relocated)
    if line.startswith(b"#!" + old_bytes + b"/") and newline and b" " not in line:
        below = os.fsdecode(line[2 + len(old_bytes) :])
        if shared and not os.path.lexists(tree + below):
            return line + newline + rest_relocated
        lines = shebang_lines(new + below)
        # More than one line is for Python only; other scripts keep a first line that at least names the place.
        if lines.count("\n") == 1 or b"python" in line:
            return os.fsencode(lines) + rest_relocated
    if shared and rest_relocated is rest:
        return content
    return with_place_replaced(line, old, new) + newline + rest_relocated


def _as_written(place: str, path: str) -> str:
    """Return a place as it stands in quotes in a file of that name: of Python, or of a shell's double quotes."""
    special = "\\'\"" if path.endswith(".py") else '\\"$`' if CONFIG_SCRIPT.fullmatch(os.path.basename(path)) else ""
    return "".join(f"\\{one}" if one in special else one for one in place)


def _with_words_kept(script: bytes) -> bytes:
    """Return CPython's own configuration script with quotes where it lacks them: a place with a blank stays one word."""
    for bare, quoted in UNQUOTED:
        script = script.replace(bare, quoted)
    return script


def _update_records(tree: str, changed: list[str]) -> None:
    """Set hash and size anew in every RECORD that lists a changed file."""
    if not changed:
        return
    wanted = set(changed)
    for path in _files(tree):
        if not path.endswith(".dist-info/RECORD") or os.path.islink(path):
            continue
        site = os.path.dirname(os.path.dirname(path))
        with open(path, "rb") as file:
            rows = parse_record(file.read(), path)
        fresh = tuple(_row(row, site, wanted) for row in rows)
        if fresh != rows:
            exchange_file(path, record_text(fresh).encode("utf-8"))


def _row(row: RecordRow, site: str, changed: set[str]) -> RecordRow:
    place = os.path.normpath(join(site, row.path))
    if place not in changed or not row.digest:
        return row
    return RecordRow(path=row.path, digest=hash_text(digest_of_file(place)), size_bytes=os.path.getsize(place))
