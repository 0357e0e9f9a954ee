"""Distributions as they are on disk, whoever put them there: what they say of themselves, and what they bring."""

import os
import re

from msgspec import Struct

from unified_shell.core.distributions.entry_points import EntryPoint, parse_entry_points
from unified_shell.core.distributions.import_names import import_names
from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.record import parse_record
from unified_shell.core.environments.model.registry import Environment
from unified_shell.core.errors import UshError
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import join

__all__ = ["Installed", "read_installed"]

# Environments are looked at one after another; one of many distributions takes some megabytes.
MOST_KEPT = 4
# Where RECORD has scripts, which is relative to site-packages.
SCRIPTS = "../../../bin/"
LICENCE_FILE = re.compile(r"^[^/]+\.dist-info/(licenses/.|(LICEN[CS]E|COPYING|NOTICE)[^/]*$)", re.IGNORECASE)


class Installed(Struct, frozen=True, kw_only=True):
    """A distribution as it is on disk; `installer` is what put it there, as far as it says so."""

    metadata: Metadata
    imports: tuple[str, ...]
    commands: tuple[EntryPoint, ...]
    files: tuple[str, ...]
    installer: str = ""

    @property
    def command_names(self) -> tuple[str, ...]:
        """The commands that it brings: those of its entry points, and scripts that it has as files."""
        names = [entry.name for entry in self.commands]
        names += [name.removeprefix(SCRIPTS) for name in self.files if name.startswith(SCRIPTS)]
        return tuple(dict.fromkeys(one for one in names if "/" not in one))

    @property
    def licence_files(self) -> tuple[str, ...]:
        """The files that hold the text of its licence, relative to site-packages (PEP 639, and what was usual before)."""
        return tuple(name for name in self.files if LICENCE_FILE.search(name))


def read_installed(environment: Environment) -> dict[NormalizedName, Installed]:
    """Read what is in the environment's folder, by project, once while that stays the same; what cannot be read is left out."""
    site = environment.layout.site_packages
    try:
        key = (os.path.realpath(site), os.stat(site).st_mtime_ns)
    except OSError:
        return {}
    if key not in _READ:
        if len(_READ) >= MOST_KEPT:
            _READ.clear()
        _READ[key] = _read_all(site)
    return dict(_READ[key])


_READ: "dict[tuple[str, int], dict[NormalizedName, Installed]]" = {}


def _read_all(site: str) -> dict[NormalizedName, Installed]:
    found = {}
    for folder in sorted(os.listdir(site)):
        if folder.endswith(".dist-info"):
            try:
                one = _read_one(site, folder)
            except (UshError, OSError):
                continue
            if one is not None:
                found[one.metadata.name] = one
    return found


def _read_one(site: str, folder: str) -> Installed | None:
    metadata = read_file(join(site, folder, "METADATA"))
    if metadata is None:
        return None
    record = read_file(join(site, folder, "RECORD"))
    entries = read_file(join(site, folder, "entry_points.txt"))
    installer = read_file(join(site, folder, "INSTALLER"))
    known = parse_metadata(metadata[0], folder)
    files = tuple(row.path for row in parse_record(record[0], folder)) if record else ()
    return Installed(
        metadata=known,
        imports=import_names(known.name, files),
        commands=parse_entry_points(entries[0], folder) if entries else (),
        files=files,
        installer=_word_of(installer[0]) if installer else "",
    )


def _word_of(content: bytes) -> str:
    """Return a line that somebody else wrote, as what may be printed."""
    first = next(iter(content.decode("utf-8", "replace").splitlines()), "").strip()
    return "".join(one if one.isprintable() else "?" for one in first)[:80]
