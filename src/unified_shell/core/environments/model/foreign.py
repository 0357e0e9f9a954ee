"""Environments that something else made: what one holds is read from its folder each time, since it is not ours."""

import os
import re
import uuid

from unified_shell.core.distributions.direct_urls import address_told
from unified_shell.core.distributions.file_names import FileName, parse_file_name
from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.errors import UsageError, UshError
from unified_shell.core.machine.files.digests import NO_SHA256
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.machine.places import Place, join
from unified_shell.core.next_steps import ush

from .contents import Contents, Distribution

__all__ = ["foreign_distributions", "read_foreign"]


def read_foreign(name: str, prefix: Place) -> Contents:
    """Return what the folder of an environment holds, by PEP 405 and 376; raises UsageError for one that is none."""
    python = join(prefix, "bin", "python")
    version = _short_version(prefix)
    if not os.path.exists(join(prefix, "pyvenv.cfg")) or not version or not os.path.exists(python):
        raise UsageError(
            f"{prefix} is not an environment: it lacks pyvenv.cfg, bin/python or site-packages",
            next_step=ush("environment", "list"),
        )
    return Contents(
        name=name,
        identity=str(uuid.uuid5(uuid.NAMESPACE_URL, f"file://{prefix}".encode("utf-8", "surrogateescape").hex())),
        interpreter=Place(os.path.realpath(python)),
        python=_setting(prefix, "version") or version,
        made_seconds=os.stat(join(prefix, "pyvenv.cfg")).st_mtime,
        distributions=foreign_distributions(join(prefix, f"lib/python{version}/site-packages")),
    )


def foreign_distributions(site: str) -> tuple[Distribution, ...]:
    """Return the distributions that a folder of modules holds; `index` names what installed each, as far as it says.

    Asked for are those that say so, and those that none of the others requires: something wants them.
    """
    read = {folder: one for folder in _info_folders(site) if (one := _read_metadata(site, folder)) is not None}
    needed = {name for one in read.values() for name in _required(one)}
    return tuple(_distribution(site, folder, one, needed) for folder, one in read.items())


def _distribution(site: str, folder: FileName, known: Metadata, needed: set[NormalizedName]) -> Distribution:
    installer = read_file(join(site, folder, "INSTALLER"))
    direct = read_file(join(site, folder, "direct_url.json"))
    asked = os.path.exists(join(site, folder, "REQUESTED")) or known.name not in needed
    return Distribution(
        name=known.name,
        version=known.version,
        sha256=NO_SHA256,
        wheel=folder,
        index=f"installed by {installer[0].decode('utf-8', 'replace').strip()}" if installer else "",
        requested=(known.name,) if asked else (),
        address=address_told(direct[0]) if direct else "",
    )


def _info_folders(site: str) -> list[FileName]:
    names = os.listdir(site) if os.path.isdir(site) else ()
    checked = (parse_file_name(one) for one in names if one.endswith(".dist-info"))
    return sorted(one for one in checked if one is not None)


def _read_metadata(site: str, folder: str) -> Metadata | None:
    found = read_file(join(site, folder, "METADATA"))
    try:
        return parse_metadata(found[0], folder) if found is not None else None
    except UshError:
        return None


def _required(metadata: Metadata) -> set[NormalizedName]:
    """Return the projects that a distribution requires, whatever the markers; not itself, by way of extras."""
    names = (re.match(r"[\w.-]+", text) for text in metadata.requires)
    return {canonicalize_name(found[0]) for found in names if found is not None} - {metadata.name}


def _short_version(prefix: str) -> str:
    lib = join(prefix, "lib")
    names = sorted(os.listdir(lib)) if os.path.isdir(lib) else []
    fits = [one for one in names if one.startswith("python") and os.path.isdir(join(lib, one, "site-packages"))]
    return fits[-1].removeprefix("python") if fits else ""


def _setting(prefix: str, name: str) -> str:
    found = read_file(join(prefix, "pyvenv.cfg"))
    for line in found[0].decode("utf-8", "replace").splitlines() if found else ():
        key, equals, value = line.partition("=")
        if equals and key.strip() == name:
            return value.strip()
    return ""
