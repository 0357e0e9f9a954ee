"""Asking indexes which files they have for a project, in the order of the indexes."""

import os
import urllib.parse
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from packaging.utils import NormalizedName

from unified_shell.core.machine.clock import iso_time
from unified_shell.core.machine.digests import digest_of_file
from unified_shell.core.machine.places import join
from unified_shell.core.transfers.addresses import address_of_folder, place_of_address
from unified_shell.core.transfers.fetching import Fetcher

from .folders import wheels_in
from .page_cache import keep_page, kept_page
from .pages import ACCEPT, IndexFile, parse_page
from .registered import Index

__all__ = ["Found", "IndexClient"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What the first index that has a project offers; `asked` are those asked before, without it."""

    index: str
    files: tuple[IndexFile, ...]
    asked: tuple[str, ...] = ()


class IndexClient:
    """Reads project pages; each page is read once. `ties` are projects that come from one index only, by its name."""

    def __init__(
        self,
        indexes: Sequence[Index],
        fetcher: Fetcher,
        cache: str = "",
        ties: Mapping[NormalizedName, str] | None = None,
    ) -> None:
        self.indexes = tuple(indexes)
        self.ties = dict(ties or {})
        self.fetcher = fetcher
        self._cache = cache
        self._found: dict[NormalizedName, Found] = {}

    def find(self, project: NormalizedName) -> Found:
        """Return a project's files from the first index that has it; no index, no files."""
        if project not in self._found:
            self._found[project] = self._ask_all(project)
        return self._found[project]

    def answers(self, address: str) -> str:
        """Say why an index's address does not answer, or nothing."""
        place = place_of_address(address)
        if place is not None:
            return "" if os.path.isdir(place) else "the folder is not there"
        return self.fetcher.answers(address)

    def _ask_all(self, project: NormalizedName) -> Found:
        asked: list[str] = []
        tied = self.ties.get(project)
        for index in self.indexes:
            if tied is not None and index.name != tied:
                continue
            files = self._ask(index, project)
            # A page that is there and lists nothing still says that the project is this index's.
            if files is not None:
                return Found(index=index.name, files=files, asked=tuple(asked))
            asked.append(index.name)
        return Found(index="", files=(), asked=tuple(asked))

    def _ask(self, index: Index, project: NormalizedName) -> tuple[IndexFile, ...] | None:
        place = place_of_address(index.address)
        if place is not None:
            return self._ask_folder(place, project) or None
        address = urllib.parse.urljoin(index.address, f"{project}/")
        kept = kept_page(self._cache, address) if self._cache else None
        if kept is not None and (kept.is_fresh or self.fetcher.offline):
            return kept.files if kept.found else None
        reply = self.fetcher.get(address, accept=ACCEPT, more=kept.conditions() if kept is not None else {})
        if reply.status == 304 and kept is not None:
            keep_page(self._cache, address, reply, kept.files, found=kept.found)
            return kept.files if kept.found else None
        found = reply.status != 404
        files = parse_page(reply.content, reply.content_type, reply.address) if found else ()
        if self._cache:
            keep_page(self._cache, address, reply, files, found=found)
        return files if found else None

    def _ask_folder(self, folder: str, project: NormalizedName) -> tuple[IndexFile, ...]:
        page = join(folder, project, "index.html")
        if os.path.isfile(page):
            address = address_of_folder(page)
            reply = self.fetcher.get(address)
            return parse_page(reply.content, reply.content_type, address)
        return tuple(
            IndexFile(
                name=os.path.basename(path),
                address=address_of_folder(path),
                sha256=digest_of_file(path),
                size_bytes=os.path.getsize(path),
                uploaded=iso_time(os.path.getmtime(path)),
            )
            for path in wheels_in(folder, project)
        )
