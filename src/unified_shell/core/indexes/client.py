"""Asking indexes which files they have for a project, in the order of the indexes."""

import contextlib
import os
import urllib.parse
from collections.abc import Callable, Iterator, Mapping, Sequence

from msgspec import Struct

from unified_shell.core.distributions.file_names import parse_file_name
from unified_shell.core.distributions.names import NormalizedName
from unified_shell.core.errors import TransferFailed, UshError, nearest
from unified_shell.core.machine.clock import iso_time
from unified_shell.core.machine.files.digests import digest_of_file
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import ush
from unified_shell.core.transfers.addresses import address_of_folder, place_of_address, shown_address
from unified_shell.core.transfers.fetching import Fetcher

from .folders import files_in, projects_in
from .page_cache import KeptPage, keep_page, kept_files, kept_page, no_longer_fresh, still_holds
from .pages import ACCEPT, IndexFile, Page, parse_page, parse_projects
from .registered import Index

__all__ = ["Found", "IndexClient"]

# Only whether a list is there is asked, so its beginning is enough.
LIST_LIMIT_BYTES = 2_000_000


class Found(Struct, frozen=True, kw_only=True):
    """What the first index that has a project offers; `asked` are those asked before, without it.

    `key` is another one whenever the files are others, empty where that is not known; so what was made of them can be
    kept, and the files need not be read. `left_out` names rows that are not as the standard has them.
    """

    index: str
    asked: tuple[str, ...] = ()
    key: str = ""
    read: Callable[[], tuple[IndexFile, ...]] = tuple
    left_out: tuple[str, ...] = ()

    @property
    def files(self) -> tuple[IndexFile, ...]:
        """The files."""
        return self.read()


class IndexClient:
    """Reads project pages; each page is read once. `ties` are projects that come from one index only, by its name.

    `without_metadata` are servers that are known to have no metadata files beside their wheels. With `newest`, a page is
    used only as its server has it now; indexes that are `passed_over` are not asked; `used_kept` says that one was used without asking.
    """

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
        self.without_metadata: set[str] = set()
        self.newest = False
        self.used_kept = False
        self.passed_over: frozenset[str] = frozenset()
        self._cache = cache
        self._read: list[str] = []
        self._found: dict[NormalizedName, Found] = {}

    def find(self, project: NormalizedName) -> Found:
        """Return a project's files from the first index that has it; no index, no files."""
        if project not in self._found:
            self._found[project] = self._ask_all(project)
        return self._found[project]

    @contextlib.contextmanager
    def doubting_on_error(self) -> Iterator[None]:
        """Let the pages that were read be asked for again by the next call, where something goes wrong in the block: what
        is wrong may have been put right meanwhile.
        """
        try:
            yield
        except UshError:
            for address in self._read:
                if (kept := kept_page(self._cache, address)) is not None:
                    no_longer_fresh(self._cache, kept)
            raise

    def forget(self) -> None:
        """Forget the pages that were read, so that they are asked for again."""
        self._found.clear()
        self.used_kept = False

    def left_out(self, project: NormalizedName) -> tuple[str, ...]:
        """Name rows of a project's page that are not as the standard has them; none for a page that was not asked for."""
        found = self._found.get(project)
        return tuple(f"{found.index}: {row}" for row in found.left_out) if found is not None else ()

    def nearest(self, project: NormalizedName) -> str:
        """Return the name most like a project's that the indexes have, empty for none.

        An index with very many projects is not asked: its list would be longer than a question is worth.
        """
        names: set[str] = set()
        for index in self.indexes:
            place = place_of_address(index.address)
            with contextlib.suppress(TransferFailed):
                if place is not None:
                    names |= set(projects_in(place))
                elif not self.fetcher.offline:
                    reply = self.fetcher.get(index.address, accept=ACCEPT, limit_bytes=LIST_LIMIT_BYTES)
                    names |= set(parse_projects(reply.content, reply.content_type)) if reply.status == 200 else set()
        return nearest(project, names)

    def answers(self, address: str) -> str:
        """Say why an index's address does not answer, or nothing."""
        place = place_of_address(address)
        if place is not None:
            return "" if os.path.isdir(place) else "the folder is not there"
        why = self.fetcher.answers(address)
        below = f"{address.rstrip('/')}/simple/"
        if "has nothing there" in why and not self.fetcher.answers(below):
            return f"{why}; it has an index at {shown_address(below)}"
        return why

    def _ask_all(self, project: NormalizedName) -> Found:
        asked: list[str] = []
        tied = self.ties.get(project)
        for index in self.indexes:
            if tied is not None and index.name != tied:
                continue
            if index.name in self.passed_over:
                continue
            try:
                found = self._ask(index, project, tuple(asked))
            except TransferFailed as error:
                if self.fetcher.offline or len(self.indexes) < 2:
                    raise
                # Passing it over in silence would let a public name take the place of a private one.
                raise TransferFailed(
                    f"the index {index.name} fails: {error.message}",
                    where=error.where,
                    again_with=("--without-index", index.name),
                    next_step=("(asks the others)", "or", ush("index", "drop", index.name)),
                ) from error
            # A page that is there and lists nothing still says that the project is this index's.
            if found is not None:
                return found
            asked.append(index.name)
        return Found(index="", asked=tuple(asked))

    def _ask(self, index: Index, project: NormalizedName, asked: tuple[str, ...]) -> Found | None:
        place = place_of_address(index.address)
        if place is not None:
            in_folder = self._ask_folder(place, project)
            return (
                Found(index=index.name, asked=asked, read=lambda: in_folder.files, left_out=in_folder.left_out)
                if in_folder.files
                else None
            )
        address = urllib.parse.urljoin(index.address, f"{project}/")
        self._read.append(address)
        kept = kept_page(self._cache, address) if self._cache else None
        if kept is not None and (self.fetcher.offline or (kept.is_fresh and not self.newest)):
            self.used_kept = self.used_kept or not self.fetcher.offline
            return self._of_kept(kept, index, asked)
        reply = self.fetcher.get(address, accept=ACCEPT, more=kept.conditions() if kept is not None else {})
        if reply.status == 304 and kept is not None:
            still_holds(self._cache, kept, reply)
            return self._of_kept(kept, index, asked)
        found = reply.status != 404
        page = parse_page(reply.content, reply.content_type, reply.address) if found else Page()
        key = keep_page(self._cache, address, reply, page, found=found).key if self._cache else ""
        return (
            Found(index=index.name, asked=asked, key=key, read=lambda: page.files, left_out=page.left_out)
            if found
            else None
        )

    def _of_kept(self, kept: KeptPage, index: Index, asked: tuple[str, ...]) -> Found | None:
        if not kept.found:
            return None
        return Found(
            index=index.name,
            asked=asked,
            key=kept.key,
            read=lambda: kept_files(self._cache, kept),
            left_out=kept.left_out,
        )

    def _ask_folder(self, folder: str, project: NormalizedName) -> Page:
        page = join(folder, project, "index.html")
        if os.path.isfile(page):
            address = address_of_folder(page)
            reply = self.fetcher.get(address)
            return parse_page(reply.content, reply.content_type, address)
        files = [_local_file(path) for path in files_in(folder, project)]
        return Page(files=tuple(one for one in files if one is not None))


def _local_file(path: str) -> IndexFile | None:
    """Return a file of a folder as an index would offer it; None where it cannot be a distribution's."""
    name = parse_file_name(os.path.basename(path))
    if name is None:
        return None
    return IndexFile(
        name=name,
        address=address_of_folder(path),
        sha256=digest_of_file(path),
        size_bytes=os.path.getsize(path),
        uploaded=iso_time(os.path.getmtime(path)),
    )
