"""Pages of indexes as they were read, in a compact form: asking again costs a question, and parsing nothing.

A page is used as it is while its server says that it is fresh (Cache-Control, RFC 9111), for ten minutes at most;
after that it is asked whether it changed (ETag and Last-Modified, RFC 9110).
"""

import contextlib
import os
import re
from dataclasses import dataclass

import msgspec

from unified_shell.core.machine.clock import now_seconds
from unified_shell.core.machine.digests import digest_of_bytes
from unified_shell.core.machine.durable import FileMode, replace_file
from unified_shell.core.machine.places import Place, join
from unified_shell.core.transfers.fetching import Reply

from .pages import IndexFile

__all__ = ["KeptPage", "keep_page", "kept_page"]

FORMAT = 2
MOST_FRESH_SECONDS = 600


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptPage:
    """A page's files, and what tells whether they still hold. `found` is False for a project that was not there."""

    format: int
    address: str
    found: bool
    etag: str
    last_modified: str
    fresh_until_seconds: float
    files: tuple[IndexFile, ...]

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
    return kept if kept.format == FORMAT and kept.address == address else None


def keep_page(cache: str, address: str, reply: Reply, files: tuple[IndexFile, ...], *, found: bool) -> None:
    """Keep a page that was read; a cache that cannot be written is done without."""
    told = re.search(r"max-age=(\d+)", reply.cache_control)
    seconds = (
        0
        if re.search(r"no-(store|cache)", reply.cache_control)
        else min(int(told[1]) if told else 0, MOST_FRESH_SECONDS)
    )
    page = KeptPage(
        format=FORMAT,
        address=address,
        found=found,
        etag=reply.etag,
        last_modified=reply.last_modified,
        fresh_until_seconds=now_seconds() + seconds,
        files=files,
    )
    place = _place(cache, address)
    with contextlib.suppress(OSError):
        replace_file(place, msgspec.msgpack.encode(page), FileMode(bits=0o600), beside=f"{place}.{os.getpid()}")


def _place(cache: str, address: str) -> Place:
    return join(cache, "pages", digest_of_bytes(address.encode("utf-8", "surrogateescape"))[:32])
