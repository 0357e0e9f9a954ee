"""Installed distributions, taken into the store as if they were unpacked wheels, so that they can be installed again.

Each file that RECORD names goes where a wheel has it. Launchers are left out, since they follow from the entry points;
so is what holds the old place in its text, which the copy carries over rewritten. Nothing is linked with the source.
"""

import os
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.distributions.entry_points import parse_entry_points
from unified_shell.core.distributions.file_names import FileName
from unified_shell.core.distributions.record import RecordRow, hash_text, parse_record
from unified_shell.core.environments.model.contents import Distribution
from unified_shell.core.machine.files.digests import digest_of_bytes, digest_of_file
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.files.place_texts import names_place
from unified_shell.core.machine.places import Place, inside, join
from unified_shell.core.store.contents import Content, Store, StoredFile, stored_file
from unified_shell.core.store.sharing import Sharer

__all__ = ["WRITTEN_ANEW", "Taken", "holds_place", "import_distribution"]

WRITTEN_ANEW = frozenset({"RECORD", "RECORD.jws", "RECORD.p7s", "INSTALLER", "REQUESTED", "direct_url.json"})
TEXTS_OF_PLACES = (".pth", ".egg-link")


class _Source(Struct, frozen=True, kw_only=True):
    """A file as it is installed, and the name that a wheel would have it by."""

    path: Place
    name: str
    sha256: str


class Taken(Struct, frozen=True, kw_only=True):
    """A distribution that was taken over, its content in the store, and how many of its files are not as installed."""

    distribution: Distribution
    content: Content
    changed: int


def import_distribution(one: Distribution, prefix: Place, site: Place, store: Store, staging: str) -> Taken:
    """Take an installed distribution into the store; `one.wheel` is its `.dist-info` folder. Nothing is written there."""
    info = join(site, one.wheel)
    record = read_file(join(info, "RECORD"))
    rows = parse_record(record[0], one.wheel) if record else ()
    sources, changed = _sources(one, rows, prefix, site)
    told = "".join(f"{each.name}\0{each.sha256}\n" for each in sorted(sources, key=lambda each: each.name))
    sha256 = digest_of_bytes(told.encode("utf-8", "surrogateescape"))
    content = store.add(sha256, staging, lambda into: _copied(sources, into))
    distribution = replace(
        one, sha256=sha256, wheel=FileName(f"{one.wheel.removesuffix('.dist-info')}.copied"), index=""
    )
    return Taken(distribution=distribution, content=content, changed=changed)


def _sources(one: Distribution, rows: Sequence[RecordRow], prefix: Place, site: Place) -> tuple[list[_Source], int]:
    launchers = _launchers(join(site, one.wheel), one.wheel)
    found, changed = [], 0
    for row in rows:
        path = Place(os.path.normpath(join(site, row.path)))
        name = _wheel_name(path, one, prefix, site, launchers)
        if not name or not os.path.isfile(path) or holds_place(path, prefix):
            continue
        sha256 = digest_of_file(path)
        found.append(_Source(path=path, name=name, sha256=sha256))
        changed += bool(row.digest.startswith("sha256=") and row.digest.rstrip("=") != hash_text(sha256))
    return found, changed


def _wheel_name(path: Place, one: Distribution, prefix: Place, site: Place, launchers: frozenset[str]) -> str:
    """Return a file's name in a wheel, empty for what is written anew or lies outside."""
    data = f"{one.wheel.removesuffix('.dist-info')}.data"
    if inside(path, site):
        name = os.path.relpath(path, site)
        folder, _, last = name.rpartition("/")
        anew = folder == one.wheel and last in WRITTEN_ANEW
        return "" if anew or name.endswith(".pyc") else name
    if not inside(path, prefix):
        return ""
    name = os.path.relpath(path, prefix)
    if name.startswith("bin/"):
        script = name.removeprefix("bin/")
        return "" if script in launchers else f"{data}/scripts/{script}"
    return f"{data}/data/{name}"


def _launchers(info: str, where: str) -> frozenset[str]:
    text = read_file(join(info, "entry_points.txt"))
    return frozenset(one.name for one in parse_entry_points(text[0], where)) if text else frozenset()


def holds_place(path: str, prefix: str) -> bool:
    """Tell whether a file of a kind that names places names this one."""
    if not path.endswith(TEXTS_OF_PLACES):
        return False
    with open(path, "rb") as file:
        return names_place(file.read(), prefix)


def _copied(sources: Sequence[_Source], into: str) -> tuple[StoredFile, ...]:
    sharer = Sharer(own_files=True)
    made = []
    for one in sources:
        target = join(into, one.name)
        os.makedirs(os.path.dirname(target), exist_ok=True)
        sharer.share(one.path, target)
        if "/scripts/" in one.name:
            _name_no_interpreter(target)
            made.append(stored_file(into, one.name, digest_of_file(target)))
            continue
        made.append(stored_file(into, one.name, one.sha256))
    return tuple(made)


def _name_no_interpreter(script: str) -> None:
    """Give a script the first line that a wheel's has, which is replaced when it is installed."""
    with open(script, "rb") as file:
        content = file.read()
    first, newline, rest = content.partition(b"\n")
    if first.startswith(b"#!") and b"python" in first.split(b"/")[-1]:
        os.unlink(script)
        with open(script, "wb") as file:
            file.write(b"#!python" + newline + rest)
        os.chmod(script, 0o755)
