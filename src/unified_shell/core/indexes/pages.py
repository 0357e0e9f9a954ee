"""Pages of the Simple Repository API, in both forms, as values.

Source: PEP 503 and 691 (forms), 592 (yanked), 658 and 714 (metadata files), 700 (sizes).
"""

import html.parser
import re
import typing
import urllib.parse
from collections.abc import Mapping
from dataclasses import dataclass
from sys import intern

from packaging.utils import canonicalize_name

from unified_shell.core.errors import TransferFailed

if typing.TYPE_CHECKING:
    from .page_rows import Row

__all__ = ["ACCEPT", "IndexFile", "parse_html_page", "parse_json_page", "parse_page", "parse_projects"]

ACCEPT = "application/vnd.pypi.simple.v1+json, application/vnd.pypi.simple.v1+html;q=0.2, text/html;q=0.01"
HASH_FRAGMENT = re.compile(r"^sha256=([0-9a-f]{64})$")


@dataclass(frozen=True, slots=True, kw_only=True)
class IndexFile:
    """One file that an index offers.

    `sha256` is empty where the index gives none; `metadata_sha256` is the hash of the metadata file beside
    it, `?` where there is one without a hash; `yanked` is the reason, or `yes`; sizes are -1 where unknown,
    `uploaded` is the time in ISO 8601, empty where unknown (PEP 700).
    """

    name: str
    address: str
    sha256: str = ""
    requires_python: str = ""
    yanked: str = ""
    metadata_sha256: str = ""
    size_bytes: int = -1
    uploaded: str = ""


def parse_page(content: bytes, content_type: str, address: str) -> tuple[IndexFile, ...]:
    """Return the files of a project's page, whichever form it has."""
    if "json" in content_type.split(";", maxsplit=1)[0]:
        return parse_json_page(content, address)
    return parse_html_page(content.decode("utf-8", "replace"), address)


def parse_json_page(content: bytes, address: str) -> tuple[IndexFile, ...]:
    """Return the files of a page in JSON; raises TransferFailed for one that is not whole."""
    import msgspec

    from .page_rows import Page, Row

    addresses, read = _Addresses(address), msgspec.json.Decoder(Row).decode
    try:
        page = msgspec.json.decode(content, type=Page)
        version = page.meta.api_version
        if version.split(".", maxsplit=1)[0] != "1":
            raise TransferFailed(f"the index speaks version {version} of the API; known is 1", where=address)
        # Each row is let go of when it is read: of a large page they take much.
        page.files.reverse()
        take = page.files.pop
        rows = (read(take()) for _ in range(len(page.files)))
        return tuple([_file(one, addresses.of(one.url)) for one in rows])
    except msgspec.ValidationError as error:
        raise TransferFailed(
            f"the index's page lists no files as the standard has it: {error}", where=address
        ) from error
    except msgspec.DecodeError as error:
        raise TransferFailed(f"the index's page is not whole: {error}", where=address) from error


def parse_html_page(text: str, address: str) -> tuple[IndexFile, ...]:
    """Return the files of a page in HTML, or of any plain page of links."""
    parser = _Links(address)
    parser.feed(text)
    parser.close()
    return tuple(parser.files)


def parse_projects(content: bytes, content_type: str) -> tuple[str, ...]:
    """Return the projects that an index lists on its first page, normalised; none for a page that is not whole."""
    import msgspec

    from .page_rows import FirstPage

    if "json" in content_type.split(";", maxsplit=1)[0]:
        try:
            names = [one.name for one in msgspec.json.decode(content, type=FirstPage).projects]
        except msgspec.MsgspecError:
            names = []
    else:
        names = re.findall(r"<a\b[^>]*>\s*([^<]+?)\s*</a", content.decode("utf-8", "replace"), re.IGNORECASE)
    return tuple(canonicalize_name(one) for one in names)


def _file(one: "Row", address: str) -> IndexFile:
    """Return a row as a value; it is called for each of tens of thousands."""
    core = one.core_metadata if one.core_metadata is not None else one.dist_info_metadata
    yanked = one.yanked
    reason = yanked if isinstance(yanked, str) and yanked else "yes"
    known = "?" if core is True or not core else core.sha256 or "?"
    return IndexFile(
        name=one.filename,
        address=address,
        sha256=one.hashes.sha256,
        requires_python=intern(one.requires_python or ""),
        yanked="" if yanked is False else reason,
        metadata_sha256=known if core else "",
        size_bytes=one.size if one.size is not None else -1,
        uploaded=one.upload_time or "",
    )


class _Addresses:
    """Whole addresses of a page's files: joining is dear, and many files share a folder."""

    def __init__(self, page: str) -> None:
        self._page, self._folders = page, dict[str, str]()

    def of(self, url: str) -> str:
        """Return the whole address of a file."""
        if url.startswith(("https://", "http://")):
            return url
        folder, slash, name = url.rpartition("/")
        known = self._folders.get(folder)
        if not slash or not name.strip(".") or "?" in url or "#" in url:
            return urllib.parse.urljoin(self._page, url)
        if known is None:
            known = self._folders[folder] = urllib.parse.urljoin(self._page, f"{folder}/")
        return known + name


class _Links(html.parser.HTMLParser):
    def __init__(self, address: str) -> None:
        super().__init__(convert_charrefs=True)
        self._base = address
        self.files: list[IndexFile] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        values = {name: value or "" for name, value in attrs}
        if tag == "base" and values.get("href"):
            self._base = urllib.parse.urljoin(self._base, values["href"])
        if tag == "a" and values.get("href"):
            self._add(values)

    def _add(self, values: Mapping[str, str]) -> None:
        address, _, fragment = urllib.parse.urljoin(self._base, values["href"]).partition("#")
        name = urllib.parse.unquote(urllib.parse.urlsplit(address).path.rsplit("/", 1)[-1])
        found = HASH_FRAGMENT.match(fragment)
        core = values.get("data-core-metadata", values.get("data-dist-info-metadata", ""))
        hashed = HASH_FRAGMENT.match(core)
        if name:
            self.files.append(
                IndexFile(
                    name=name,
                    address=address,
                    sha256=found[1] if found else "",
                    requires_python=values.get("data-requires-python", ""),
                    yanked=(values["data-yanked"] or "yes") if "data-yanked" in values else "",
                    metadata_sha256=hashed[1] if hashed else ("?" if core else ""),
                )
            )
