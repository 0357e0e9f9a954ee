"""Environments that something else made: registered in place, and which environments are protected.

Both are kept in `environments.toml`. What such an environment holds is read from its folder each time: it is not ours.
"""

import os
import uuid
from collections.abc import Mapping

from packaging.utils import canonicalize_name

from unified_shell.core.changes.records import read_records
from unified_shell.core.distributions.direct_urls import address_told
from unified_shell.core.distributions.metadata import parse_metadata
from unified_shell.core.errors import UshError, WordsOff
from unified_shell.core.machine.durable import read_file
from unified_shell.core.machine.locations import Locations
from unified_shell.core.machine.places import Place, from_record_text, join

from .contents import Contents, Distribution

__all__ = ["ADOPTED", "PROTECTED", "adopted_places", "is_protected", "read_foreign", "records_file"]

ADOPTED = "adopted"
PROTECTED = "protected"


def records_file(locations: Locations) -> Place:
    """Return where both are kept."""
    return join(locations.data, "environments.toml")


def adopted_places(locations: Locations) -> dict[str, Place]:
    """Return the folders of adopted environments, by name."""
    table = read_records(records_file(locations)).get(ADOPTED, {})
    rows = table.items() if isinstance(table, Mapping) else ()
    return {name: from_record_text(str(place)) for name, place in rows}


def is_protected(name: str, locations: Locations) -> bool:
    """Tell whether a person protected an environment of ours."""
    table = read_records(records_file(locations)).get(PROTECTED, {})
    return isinstance(table, Mapping) and table.get(name) is True


def read_foreign(name: str, prefix: Place) -> Contents:
    """Return what the folder of an environment holds, by PEP 405 and 376; raises WordsOff for one that is none."""
    python = join(prefix, "bin", "python")
    version = _short_version(prefix)
    if not os.path.exists(join(prefix, "pyvenv.cfg")) or not version or not os.path.exists(python):
        raise WordsOff(
            f"{prefix} is no environment: pyvenv.cfg, bin/python or its site-packages is not there",
            next_step="ush environment list",
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
    """Return the distributions that a folder of modules holds; `index` names what installed each, as far as it says."""
    found = []
    for folder in sorted(os.listdir(site)) if os.path.isdir(site) else ():
        metadata = read_file(join(site, folder, "METADATA")) if folder.endswith(".dist-info") else None
        if metadata is None:
            continue
        try:
            known = parse_metadata(metadata[0], folder)
        except UshError:
            continue
        installer = read_file(join(site, folder, "INSTALLER"))
        direct = read_file(join(site, folder, "direct_url.json"))
        asked = os.path.exists(join(site, folder, "REQUESTED"))
        found.append(
            Distribution(
                name=canonicalize_name(known.name),
                version=known.version,
                sha256="",
                wheel=folder,
                index=f"put there by {installer[0].decode('utf-8', 'replace').strip()}" if installer else "",
                requested=known.name if asked else "",
                address=address_told(direct[0]) if direct else "",
            )
        )
    return tuple(found)


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
