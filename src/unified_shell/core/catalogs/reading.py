"""Reading catalogs: a folder or URL whose `catalog.toml` lists descriptions by file and hash.

    [[description]]
    file = "python-3.12.4.toml"
    sha256 = "…"

In a folder of this machine the hash may be left out. What a catalog at a URL lists without one is a mistake.
"""

import os
import urllib.parse
from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from packaging.version import Version

from unified_shell.core.errors import CouldNot, DescriptionBroken, HashDiffers, TransferFailed, UshError
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.addresses import is_web_address, shown_address
from unified_shell.core.transfers.fetching import Fetcher

from .address_book import NamedAddress
from .checking import CheckedFile
from .description import Archive, Description
from .parsing import parse_description

__all__ = ["CatalogRead", "Listed", "find_described", "read_catalog", "read_description", "why_unreadable"]

# Written by hand: a few kB each.
FILE_LIMIT_BYTES = 4_000_000
LIST_FILE = "catalog.toml"


class Listed(Struct, frozen=True, kw_only=True):
    """A description and where it was read: the catalog's name and the file's address."""

    catalog: str
    address: str
    description: Description


class CatalogRead(Struct, frozen=True, kw_only=True):
    """What a catalog lists, with what is wrong in it; a file that is wrong does not hide the others."""

    listed: tuple[Listed, ...]
    faults: tuple[str, ...]


def read_catalog(catalog: NamedAddress, fetcher: Fetcher) -> CatalogRead:
    """Read a catalog and all descriptions that it lists; raises UshError where its list cannot be read."""
    top = catalog.address.rstrip("/") + "/"
    file = CheckedFile(_fetched(top + LIST_FILE, fetcher), shown_address(top + LIST_FILE))
    rows = []
    for table in file.top.tables("description"):
        name = table.text("file", required=True, fits=_inside)
        rows.append((name, table.text("sha256", required=is_web_address(top))))
        table.no_others()
    file.top.text("summary")
    file.top.no_others()
    file.finish()
    listed, faults = [], []
    for name, sha256 in rows:
        address = urllib.parse.urljoin(top, urllib.parse.quote(name))
        try:
            content = _fetched(address, fetcher)
            if sha256 and digest_of_bytes(content) != sha256:
                raise HashDiffers("its SHA-256 is not the one that the catalog lists", where=shown_address(address))
            found = parse_description(content, shown_address(address))
            listed.append(Listed(catalog=catalog.name, address=address, description=_addressed(found, address)))
        except UshError as error:
            faults.append(str(error))
    return CatalogRead(listed=tuple(listed), faults=tuple(faults))


def read_description(path: str, fetcher: Fetcher) -> Description:
    """Return the description in a file of this machine; raises DescriptionBroken, and CouldNot for one that is not there."""
    address = Path(path).absolute().as_uri()
    if not os.path.isfile(path):
        raise CouldNot(f"there is no description {path}", next_step=ush("suite", "list"))
    return _addressed(parse_description(_fetched(address, fetcher), path), address)


def find_described(
    catalogs: Sequence[NamedAddress], fetcher: Fetcher, fits: Callable[[Description], bool]
) -> Listed | None:
    """Return the newest description that fits, of the first catalog that has one; raises DescriptionBroken where none
    does, and there are some that cannot be read.
    """
    faults: list[str] = []
    for catalog in catalogs:
        read = read_catalog(catalog, fetcher)
        fitting = [one for one in read.listed if fits(one.description)]
        if fitting:
            return max(fitting, key=lambda one: Version(one.description.version))
        faults += [f"{catalog.name}: {fault}" for fault in read.faults]
    if faults:
        # What is asked for may be the one that cannot be read.
        raise DescriptionBroken(
            f"no readable description matches; one that cannot be read:\n  {faults[0]}",
            next_step=ush("catalog", "list"),
        )
    return None


def _inside(name: str) -> str:
    leads_out = name.startswith("/") or ".." in name.split("/") or ":" in name
    return "a file beside the catalog's list, or below it" if leads_out else ""


def _addressed(found: Description, address: str) -> Description:
    """Return a description whose archives have whole addresses: one that is relative is meant from its own file."""

    def whole(archive: Archive) -> Archive:
        return replace(archive, url=urllib.parse.urljoin(address, archive.url)) if archive.url else archive

    forms = tuple(
        replace(one, archive=whole(one.archive), patches=tuple(map(whole, one.patches))) for one in found.forms
    )
    trial = found.trial
    if trial is not None and trial.sample is not None:
        trial = replace(trial, sample=whole(trial.sample))
    return replace(found, forms=forms, trial=trial)


def why_unreadable(address: str, fetcher: Fetcher) -> str:
    """Return what is wrong with a catalog at an address, or an empty text."""
    try:
        read = read_catalog(NamedAddress(name="", address=address), fetcher)
    except UshError as error:
        return str(error)
    return "\n".join(read.faults)


def _fetched(address: str, fetcher: Fetcher) -> bytes:
    reply = fetcher.get(address, limit_bytes=FILE_LIMIT_BYTES)
    if reply.status != 200:
        raise TransferFailed(f"there is no {address.rsplit('/', 1)[-1]}", where=shown_address(address))
    return reply.content
