"""A project that is taken from one address, as a direct reference says, and from no index.

Source: dependency specifiers (PEP 508, `NAME @ ADDRESS`); hashes in the fragment, as indexes have them (PEP 503).
"""

import os
import re
import shutil
import urllib.parse

from msgspec.structs import replace
from packaging.version import Version

from unified_shell.core.distributions.file_names import parse_file_name
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import is_source_name, source_parts
from unified_shell.core.distributions.wheels import parse_wheel_name, wheel_parts
from unified_shell.core.errors import CouldNot, UsageError, os_error_text
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.file_cache import FileCache
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.files.digests import NO_SHA256, digest_of_bytes, digest_of_file, parse_sha256
from unified_shell.core.transfers.addresses import is_web_address, place_of_address, shown_address

from .offers import ONLY_A_SOURCE, Offers, unfit_tags
from .questions import Candidate, Listing
from .reading_metadata import MetadataReader, fetch_file
from .target import Target

__all__ = ["listing_at"]

HASH = re.compile(r"(?:^|&)sha256=([0-9a-f]{64})(?:&|$)")


def listing_at(
    address: str, project: NormalizedName, target: Target, offers: Offers, reader: MetadataReader
) -> Listing:
    """Return the one candidate that is at an address; the file is brought here, since its hash is what counts.

    Raises UsageError for an address of nothing that could be a distribution, CouldNot and TransferFailed.
    """
    file = _brought(address, reader.client, reader.cache)
    listing = Listing(candidates=(), index=shown_address(address))
    if is_source_name(file.name):
        parts = source_parts(file.name)
        if not target.rules.may_build(project):
            version = parts.version if parts is not None else "0"
            return replace(listing, passed_over=((version, ONLY_A_SOURCE),), buildable=(version,))
        if parts is None:
            # The name tells no version: building does.
            version = reader.read(Candidate(project=project, version="0", file=file, index="")).version
        else:
            _check_project(parts.project, project, file.name)
            version = str(Version(parts.version))
        return replace(listing, candidates=(_candidate(project, version, file),))
    name, tags = parse_wheel_name(file.name), wheel_parts(file.name)
    if name is None or tags is None:
        raise UsageError(f"{file.name!r} is not a wheel file name", next_step="rename the file to what it was called")
    _check_project(name.project, project, file.name)
    if offers.rank(tags.tags) is None:
        return replace(listing, passed_over=((str(name.version), unfit_tags([tags.tags], offers.platforms)),))
    return replace(listing, candidates=(_candidate(project, str(name.version), file),))


def _candidate(project: NormalizedName, version: str, file: IndexFile) -> Candidate:
    return Candidate(project=project, version=version, file=file, index="", direct=True)


def _check_project(found: str, wanted: NormalizedName, file_name: str) -> None:
    if canonicalize_name(found) != wanted:
        raise UsageError(f"{file_name} belongs to the project {canonicalize_name(found)}, not {wanted}")


def _brought(address: str, client: IndexClient, cache: str) -> IndexFile:
    bare, _, fragment = address.partition("#")
    text = urllib.parse.unquote(bare.partition("?")[0].rsplit("/", 1)[-1])
    place = place_of_address(bare)
    if place is None and not is_web_address(bare):
        raise UsageError(
            f"{shown_address(bare)!r} is not the address of a file (http, https or file)",
            next_step="give the address of a wheel or of a source archive",
        )
    if not text.endswith(".whl") and not is_source_name(text):
        what = "a folder" if place is not None and os.path.isdir(place) else "neither a wheel nor a .tar.gz or .zip"
        raise UsageError(
            f"{shown_address(bare)} is {what}", next_step="give the address of a wheel or source archive"
        )
    name = parse_file_name(text)
    if name is None:
        raise UsageError(
            f"{text!r} cannot be the name of a wheel or source archive",
            next_step="rename the file to what it was called",
        )
    hashed = HASH.search(fragment)
    file = IndexFile(name=name, address=bare, sha256=(parse_sha256(hashed[1]) if hashed else None) or NO_SHA256)
    if file.sha256:
        fetch_file(file, client, cache)
        return file
    return _with_digest(file, place, client, cache)


def _with_digest(file: IndexFile, place: str | None, client: IndexClient, cache: str) -> IndexFile:
    """Bring a file of which nobody promised anything, and take its hash: from now on it is held to that."""
    first = FileCache(cache).unhashed(digest_of_bytes(file.address.encode("utf-8", "surrogateescape")), file.name)
    try:
        if place is not None:
            sha256 = digest_of_file(place)
            return replace(file, sha256=sha256)
        client.fetcher.download(file.address, first, sha256="")
        sha256 = digest_of_file(first)
        target = FileCache(cache).file(sha256, file.name)
        os.makedirs(os.path.dirname(target), exist_ok=True)
        os.replace(first, target)
    except OSError as error:
        raise CouldNot(f"{file.name} could not be downloaded: {os_error_text(error)}", where=file.address) from error
    finally:
        shutil.rmtree(os.path.dirname(first), ignore_errors=True)
    return replace(file, sha256=sha256)
