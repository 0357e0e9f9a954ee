"""What a candidate requires, read the least way: a metadata file, the end of a wheel, the wheel; a source is asked
through what builds it.
"""

import contextlib
import os
import urllib.parse
from collections.abc import Callable

from msgspec import Struct
from packaging.requirements import InvalidRequirement, Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet

from unified_shell.core.distributions.metadata import Metadata, parse_metadata
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.distributions.sources import is_source_name
from unified_shell.core.distributions.wheels import (
    METADATA_LIMIT_BYTES,
    metadata_of_open_wheel,
    parse_wheel_name,
    read_metadata_of_wheel,
)
from unified_shell.core.errors import CouldNot, HashDiffers, UshError
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.file_cache import FileCache
from unified_shell.core.indexes.pages import IndexFile
from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.files.digests import Sha256, digest_of_bytes, digest_of_file
from unified_shell.core.machine.files.durable import read_file
from unified_shell.core.transfers.addresses import is_web_address, place_of_address
from unified_shell.core.transfers.fetching import Reply
from unified_shell.core.transfers.ranges import RangesRefused, RemoteFile

from .questions import Candidate, Requirements

__all__ = ["MetadataReader", "ReadSource", "fetch_file", "requirements_of"]

# Given the file of a source distribution, its SHA-256 and its project: its metadata, by building where it must be.
ReadSource = Callable[[str, Sha256, NormalizedName], Metadata]


def fetch_file(file: IndexFile, client: IndexClient, cache: str) -> str:
    """Return the path of a wheel or source whose hash is right: here already, in the cache, or downloaded to it."""
    if not file.sha256:
        raise CouldNot(f"the index gives no SHA-256 for {file.name}; nothing is unpacked without one")
    path = FileCache(cache).file(file.sha256, file.name)
    # One that was damaged since is fetched anew.
    if not os.path.isfile(path) or digest_of_file(path) != file.sha256:
        client.fetcher.download(file.address, path, sha256=file.sha256, size_bytes=file.size_bytes)
    return path


class MetadataReader(Struct, frozen=True):
    """Reads the metadata of files that indexes offer."""

    client: IndexClient
    cache: str
    read_source: ReadSource | None = None

    def read(self, candidate: Candidate) -> Metadata:
        """Return the metadata of a candidate's file; raises UshError."""
        file = candidate.file
        if is_source_name(file.name):
            return self._of_source(candidate)
        if place_of_address(file.address) is not None:
            return read_metadata_of_wheel(fetch_file(file, self.client, self.cache), candidate.project)
        kept = FileCache(self.cache).metadata(file.sha256, file.name) if file.sha256 else ""
        if kept and (found := read_file(kept)) is not None:
            # What was damaged since is read anew.
            with contextlib.suppress(UshError):
                return parse_metadata(found[0], file.name)
        content = self._announced(file) or self._from_its_end(file, candidate.project)
        if content is None:
            return read_metadata_of_wheel(fetch_file(file, self.client, self.cache), candidate.project)
        if kept:
            write_cached(kept, content)
        return parse_metadata(content, file.name)

    def _of_source(self, candidate: Candidate) -> Metadata:
        if self.read_source is None:
            raise CouldNot(f"{candidate.file.name} is a source distribution, which is not built here")
        path = fetch_file(candidate.file, self.client, self.cache)
        return self.read_source(path, candidate.file.sha256, candidate.project)

    def _announced(self, file: IndexFile) -> bytes | None:
        if not file.metadata_sha256:
            return self._unannounced(file)
        reply = self._metadata_file(file)
        if reply.status != 200:
            return None
        if file.metadata_sha256 not in ("?", digest_of_bytes(reply.content)):
            raise HashDiffers(f"the metadata of {file.name} is not what the index promised")
        return reply.content

    def _unannounced(self, file: IndexFile) -> bytes | None:
        """Try a metadata file that no page tells of: one small request, where the end of a wheel takes several.

        A host that has none is not asked twice.
        """
        server = urllib.parse.urlsplit(file.address).netloc
        if server in self.client.without_metadata or not is_web_address(file.address):
            return None
        with contextlib.suppress(UshError):
            reply = self._metadata_file(file)
            if reply.status == 200:
                read, name = parse_metadata(reply.content, file.name), parse_wheel_name(file.name)
                if name is not None and (read.name, read.version) == (name.project, str(name.version)):
                    return reply.content
        self.client.without_metadata.add(server)
        return None

    def _metadata_file(self, file: IndexFile) -> Reply:
        return self.client.fetcher.get(f"{file.address.partition('#')[0]}.metadata", limit_bytes=METADATA_LIMIT_BYTES)

    def _from_its_end(self, file: IndexFile, project: NormalizedName) -> bytes | None:
        if file.sha256 and os.path.exists(FileCache(self.cache).file(file.sha256, file.name)):
            return None
        remote = RemoteFile(self.client.fetcher, file.address)
        try:
            return metadata_of_open_wheel(remote, project, file.name)
        except (RangesRefused, UshError):
            return None


def requirements_of(metadata: Metadata, python: str) -> Requirements:
    """Return what a distribution requires, or why it cannot be used with that version of Python."""
    if metadata.requires_python:
        try:
            if not SpecifierSet(metadata.requires_python).contains(python, prereleases=True):
                return Requirements(requires=(), unusable=f"it needs Python {metadata.requires_python}, not {python}")
        except InvalidSpecifier:
            pass
    try:
        requires = tuple(Requirement(text) for text in metadata.requires)
    except InvalidRequirement as error:
        return Requirements(requires=(), unusable=f"one of its requirements cannot be read: {error}")
    extras = tuple(NormalizedName(one) for one in metadata.extras)
    return Requirements(requires=requires, extras=extras, licence=metadata.licence)
