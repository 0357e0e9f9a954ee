"""Pages of indexes as they were read, in a compact form: asking again costs a question, and parsing nothing.

A page is used as it is while its server says that it is fresh (Cache-Control, RFC 9111), for ten minutes at most;
after that it is asked whether it changed (ETag and Last-Modified, RFC 9110). Where a server says nothing of either, two
minutes count as fresh (RFC 9111, 4.2.2): from a plan to its going ahead nothing is fetched twice.
"""

import os
import re

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from unified_shell.core.errors import TransferFailed
from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.files.cached_files import write_cached
from unified_shell.core.machine.files.digests import digest_of_bytes
from unified_shell.core.machine.places import Place, join
from unified_shell.core.transfers.fetching import Reply

from .pages import IndexFile, Page

__all__ = ["KeptPage", "keep_page", "kept_files", "kept_page", "no_longer_fresh", "still_holds"]

FORMAT = 4
# Servers promise up to days; a person who waits for a new version should not.
MOST_FRESH_SECONDS = 600
# Long enough that one job asks once, short enough that nobody misses a new version.
UNSAID_FRESH_SECONDS = 120


class KeptPage(Struct, frozen=True, kw_only=True):
    """What tells whether a page's files still hold; they themselves are in a file beside, read where they are needed.

    `found` is False for a project that was not there; `key` is another one whenever the files are others; `left_out`
    names rows that were not as the standard has them.
    """

    format: int
    address: str
    found: bool
    key: str
    etag: str
    last_modified: str
    fresh_until_seconds: float
    left_out: tuple[str, ...] = ()

    @property
    def is_fresh(self) -> bool:
        """Tell whether it can be used without asking."""
        return now_seconds() < self.fresh_until_seconds

    def conditions(self) -> dict[str, str]:
        """Return the headers that ask for the page only if it changed."""
        found = {"If-None-Match": self.etag, "If-Modified-Since": self.last_modified}
        return {name: value for name, value in found.items() if value}


def kept_page(cache: str, address: str) -> KeptPage | None:
    """Return what was kept of a page, or None."""
    try:
        with open(_place(cache, address), "rb") as file:
            kept = msgspec.msgpack.decode(file.read(), type=KeptPage)
    except (OSError, msgspec.MsgspecError):
        return None
    whole = kept.format == FORMAT and kept.address == address and os.path.exists(_files_place(cache, kept))
    return kept if whole else None


def kept_files(cache: str, page: KeptPage) -> tuple[IndexFile, ...]:
    """Return the files of a kept page; raises TransferFailed where they were taken away meanwhile."""
    try:
        with open(_files_place(cache, page), "rb") as file:
            return msgspec.msgpack.decode(file.read(), type=tuple[IndexFile, ...])
    except (OSError, msgspec.MsgspecError) as error:
        raise TransferFailed("a page in the cache is damaged", where=cache, next_step="try again") from error


def keep_page(cache: str, address: str, reply: Reply, content: Page, *, found: bool) -> KeptPage:
    """Keep a page that was read; a cache that cannot be written is done without."""
    encoded = msgspec.msgpack.encode(content.files)
    page = KeptPage(
        format=FORMAT,
        address=address,
        found=found,
        left_out=content.left_out,
        key=digest_of_bytes(encoded)[:32],
        etag=reply.etag,
        last_modified=reply.last_modified,
        fresh_until_seconds=_fresh_until(reply),
    )
    write_cached(_files_place(cache, page), encoded)
    write_cached(_place(cache, address), msgspec.msgpack.encode(page))
    return page


def still_holds(cache: str, page: KeptPage, reply: Reply) -> None:
    """Note that a page did not change, and how long that is certain."""
    write_cached(
        _place(cache, page.address), msgspec.msgpack.encode(replace(page, fresh_until_seconds=_fresh_until(reply)))
    )


def no_longer_fresh(cache: str, page: KeptPage) -> None:
    """Let a page be asked for again before it is used."""
    if page.is_fresh:
        write_cached(_place(cache, page.address), msgspec.msgpack.encode(replace(page, fresh_until_seconds=0.0)))


def _fresh_until(reply: Reply) -> float:
    told = re.search(r"max-age=(\d+)", reply.cache_control)
    if re.search(r"no-(store|cache)", reply.cache_control):
        return now_seconds()
    if told is not None:
        return now_seconds() + min(int(told[1]), MOST_FRESH_SECONDS)
    can_be_asked = reply.etag or reply.last_modified
    return now_seconds() + (0 if can_be_asked else UNSAID_FRESH_SECONDS)


def _place(cache: str, address: str) -> Place:
    return join(cache, "pages", digest_of_bytes(address.encode("utf-8", "surrogateescape"))[:32])


def _files_place(cache: str, page: KeptPage) -> Place:
    return join(cache, "pages", f"{page.key}.files")
