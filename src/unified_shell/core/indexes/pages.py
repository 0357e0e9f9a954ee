"""Pages of the Simple Repository API, in both forms, as values.

What a page says becomes checked types here, before any of it is part of a path or a line: a row that is not as the
standard has it is left out and named, and takes none of the others with it.

Source: PEP 503 and 691 (forms), 592 (yanked), 658 and 714 (metadata files), 700 (sizes).
"""

import re
import typing
import urllib.parse
from collections.abc import Iterable, Mapping
from sys import intern

from msgspec import Struct

from unified_shell.core.distributions.file_names import FileName, parse_file_name
from unified_shell.core.distributions.names import canonicalize_name
from unified_shell.core.errors import TransferFailed
from unified_shell.core.machine.files.digests import NO_SHA256, Sha256, parse_sha256
from unified_shell.core.transfers.addresses import is_web_address, place_of_address

from .page_links import links_of

if typing.TYPE_CHECKING:
    from .page_rows import Row

__all__ = ["ACCEPT", "IndexFile", "Page", "parse_html_page", "parse_json_page", "parse_page", "parse_projects"]

ACCEPT = "application/vnd.pypi.simple.v1+json, application/vnd.pypi.simple.v1+html;q=0.2, text/html;q=0.01"
HASH_FRAGMENT = re.compile(r"^sha256=([0-9a-fA-F]{64})$")
PROJECT = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?")
LINK_TEXT = re.compile(r"<a\b[^<>]{0,2000}>([^<]{1,300})</a", re.IGNORECASE)
# Of the rows that were left out, so many are named; each by so much of what it says.
MOST_NAMED = 5
# No file system holds a larger file, and every number format does.
MOST_BYTES = 1 << 60
# A bad row is named in one line, however long it is.
NAMED_LETTERS = 60


class IndexFile(Struct, frozen=True, kw_only=True):
    """One file that an index offers.

    `sha256` is empty where the index gives none; `metadata_sha256` is the hash of the metadata file beside
    it, `?` where there is one without a hash; `yanked` is the reason, or `yes`; sizes are -1 where unknown,
    `uploaded` is the time in ISO 8601, empty where unknown (PEP 700).
    """

    name: FileName
    address: str
    sha256: Sha256 = NO_SHA256
    requires_python: str = ""
    yanked: str = ""
    metadata_sha256: str = ""
    size_bytes: int = -1
    uploaded: str = ""


class Page(Struct, frozen=True, kw_only=True):
    """The files of a project's page. `left_out` names the first rows that are not as the standard has them, with why,
    and counts the others.
    """

    files: tuple[IndexFile, ...] = ()
    left_out: tuple[str, ...] = ()


def parse_page(content: bytes, content_type: str, address: str) -> Page:
    """Return the files of a project's page, whichever form it has."""
    if "json" in content_type.split(";", maxsplit=1)[0]:
        return parse_json_page(content, address)
    return parse_html_page(content.decode("utf-8", "replace"), address)


def parse_json_page(content: bytes, address: str) -> Page:
    """Return the files of a page in JSON; raises TransferFailed for one that is not whole."""
    import msgspec

    from .page_rows import Row
    from .page_rows import Rows as RawPage

    addresses, read = _Addresses(address), msgspec.json.Decoder(Row).decode
    try:
        page = msgspec.json.decode(content, type=RawPage)
    except msgspec.ValidationError as error:
        raise TransferFailed(f"the index page is not in the standard format: {error}", where=address) from error
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise TransferFailed(f"the index page is incomplete: {error}", where=address) from error
    version = page.meta.api_version
    if version.split(".", maxsplit=1)[0] != "1":
        raise TransferFailed(f"the index speaks version {version[:20]} of the API; known is 1", where=address)
    # Each row is let go of when it is read: of a large page they take much.
    page.files.reverse()
    take = page.files.pop

    def rows() -> Iterable[IndexFile | str]:
        for number in range(1, len(page.files) + 1):
            raw = take()
            try:
                row = read(raw)
                yield _file(row, addresses.of(row.url))
            except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError, ValueError) as error:
                yield f"row {number} ({_named(bytes(memoryview(raw)[:200]).decode('utf-8', 'replace'))}): {error}"

    return _page(rows())


def parse_html_page(text: str, address: str) -> Page:
    """Return the files of a page in HTML, or of any plain page of links."""

    def rows() -> Iterable[IndexFile | str]:
        base = address
        for tag, values in links_of(text):
            link = values.get("href", "")
            if not link:
                continue
            try:
                if tag == "base":
                    base = urllib.parse.urljoin(address, link)
                else:
                    yield _linked(base, link, values, address)
            except ValueError as error:
                yield f"{_named(link)}: {error}"

    # Links to other pages, such as the one above, end in no name: they are no rows.
    return _page(row for row in rows() if row)


def parse_projects(content: bytes, content_type: str) -> tuple[str, ...]:
    """Return the projects that an index lists on its first page, normalised; none for a page that is not whole."""
    import msgspec

    from .page_rows import FirstPage

    if "json" in content_type.split(";", maxsplit=1)[0]:
        try:
            names = [one.name for one in msgspec.json.decode(content, type=FirstPage).projects]
        except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
            names = []
    else:
        names = [one.strip() for one in LINK_TEXT.findall(content.decode("utf-8", "replace"))]
    return tuple(canonicalize_name(one) for one in names if PROJECT.fullmatch(one))


def _page(rows: Iterable[IndexFile | str]) -> Page:
    files, left_out, count = [], [], 0
    for row in rows:
        if isinstance(row, IndexFile):
            files.append(row)
            continue
        count += 1
        if count <= MOST_NAMED:
            left_out.append(row)
    if count > MOST_NAMED:
        left_out.append(f"and {count - MOST_NAMED} more rows")
    return Page(files=tuple(files), left_out=tuple(left_out))


def _file(row: "Row", address: str) -> IndexFile:
    """Return a row as a value; it is called for each of tens of thousands. Raises ValueError with what is wrong."""
    core = row.core_metadata if row.core_metadata is not None else row.dist_info_metadata
    yanked = row.yanked
    reason = yanked if isinstance(yanked, str) and yanked else "yes"
    known = "?" if core is True or not core else parse_sha256(core.sha256) or "?"
    return IndexFile(
        name=_checked_name(row.filename),
        address=address,
        # Without a hash it is offered still; fetching it is what is refused.
        sha256=parse_sha256(row.hashes.sha256) or NO_SHA256,
        requires_python=intern(row.requires_python or ""),
        yanked="" if yanked is False else reason,
        metadata_sha256=known if core else "",
        size_bytes=_checked_size(row.size),
        uploaded=row.upload_time or "",
    )


def _linked(base: str, link: str, values: Mapping[str, str], page: str) -> IndexFile | str:
    """Return a link as a value, an empty text for one that leads to no file; raises ValueError with what is wrong."""
    address, _, fragment = urllib.parse.urljoin(base, link).partition("#")
    name = urllib.parse.unquote(urllib.parse.urlsplit(address).path.rsplit("/", 1)[-1])
    if not name:
        return ""
    found = HASH_FRAGMENT.match(fragment)
    core = values.get("data-core-metadata", values.get("data-dist-info-metadata", ""))
    hashed = HASH_FRAGMENT.match(core)
    return IndexFile(
        name=_checked_name(name),
        address=_checked_address(address, page),
        sha256=(parse_sha256(found[1]) if found else None) or NO_SHA256,
        requires_python=values.get("data-requires-python", ""),
        yanked=(values["data-yanked"] or "yes") if "data-yanked" in values else "",
        metadata_sha256=hashed[1].lower() if hashed else ("?" if core else ""),
    )


def _checked_size(size: int | None) -> int:
    """Return a size in bytes, -1 for none; raises ValueError for one that no file has."""
    if size is None or size < 0:
        return -1
    if size > MOST_BYTES:
        raise ValueError(f"{size:.3g} bytes is not the size of a file")
    return size


def _checked_name(text: str) -> FileName:
    name = parse_file_name(text)
    if name is None:
        raise ValueError(f"{_named(text)!r} is not a distribution file name")
    return name


def _checked_address(address: str, page: str) -> str:
    """Return an address that may be followed from a page: what is on this machine only from a page that is, too."""
    if is_web_address(address) or (not is_web_address(page) and place_of_address(address) is not None):
        return address
    raise ValueError(f"{_named(address)!r} is not an address that this page may name")


def _named(text: str) -> str:
    return text if len(text) <= NAMED_LETTERS else f"{text[:NAMED_LETTERS]}…"


class _Addresses:
    """Whole addresses of a page's files: joining is dear, and many files share a folder."""

    def __init__(self, page: str) -> None:
        self._page, self._folders = page, dict[str, str]()

    def of(self, url: str) -> str:
        """Return the whole address of a file; raises ValueError for one that the page may not name."""
        folder, slash, name = url.rpartition("/")
        known = self._folders.get(folder)
        if not slash or not name.strip(".") or "?" in url or "#" in url:
            return _checked_address(urllib.parse.urljoin(self._page, url), self._page)
        if known is None:
            checked = _checked_address(urllib.parse.urljoin(self._page, f"{folder}/"), self._page)
            known = self._folders[folder] = checked
        return known + name
