"""Bringing bytes here: one synchronous client, limits, retries, hashes checked on the way."""

import contextlib
import hashlib
import io
import os
import threading
import typing
from collections.abc import Callable, Iterator, Mapping

from msgspec import Struct, field

from unified_shell.core.errors import HashDiffers, TransferFailed, TransferStopped, os_error_reason
from unified_shell.core.machine.clock import pause
from unified_shell.core.machine.host import Host
from unified_shell.core.next_steps import ush

from .addresses import is_web_address, place_of_address, shown_address, user_in_address
from .connecting import Connecting, NetworkSettings
from .credentials import credentials_for
from .failures import not_reached, refused_by
from .parts import held_part

if typing.TYPE_CHECKING:
    import httpx

__all__ = ["Fetcher", "KnownParts", "Reply"]

# Above any page of an index; more would fill the memory.
PAGE_LIMIT_BYTES = 300_000_000
RANGE_LIMIT_BYTES = 50_000_000
# Where nobody promised a size.
DOWNLOAD_LIMIT_BYTES = 20_000_000_000
PAGE_SECONDS = 600.0
DOWNLOAD_SECONDS = 6 * 3600.0
# A server that is busy is asked again; one that fails three times is down.
TRIES = 3
# A server may ask for any wait; a person waits so long without thinking it hangs.
MOST_WAIT_SECONDS = 20.0
RETRY_STATUSES = frozenset({408, 429, 500, 502, 503, 504})


class Reply(Struct, frozen=True, kw_only=True):
    """What came back. `address` is where it came from in the end, after redirects."""

    status: int
    content: bytes
    content_type: str
    address: str
    content_range: str = ""
    etag: str = ""
    last_modified: str = ""
    cache_control: str = ""


class KnownParts(Struct):
    """What was read of a file on a server: its size, -1 where that is not known yet, and parts with where they begin."""

    size_bytes: int = -1
    parts: list[tuple[int, bytes]] = field(default_factory=list)


class Fetcher:
    """Fetches from HTTP servers and from files; connections are kept and reused until `close`."""

    def __init__(self, host: Host, *, offline: bool = False, settings: NetworkSettings | None = None) -> None:
        self._host = host
        self._connecting = Connecting(host, settings or NetworkSettings())
        self.offline = offline
        # Told the address of a download, and how many bytes of how many are here.
        self.on_bytes: Callable[[str, int, int], None] = lambda _address, _size, _of: None
        self.known_parts: dict[str, KnownParts] = {}
        self._client: httpx.Client | None = None
        self._opening = threading.Lock()

    def get(
        self,
        address: str,
        *,
        accept: str = "*/*",
        more: Mapping[str, str] | None = None,
        limit_bytes: int = PAGE_LIMIT_BYTES,
    ) -> Reply:
        """Return what is at an address; 404 and 304 are answers, other refusals raise TransferFailed.

        `more` are headers, such as conditions.
        """
        place = place_of_address(address)
        if place is not None:
            return _read_local(place, address, limit_bytes)
        with self._stream("GET", address, accept, more) as response:
            # Joining a list of parts would hold a large page twice.
            content = io.BytesIO()
            for part in _limited(response.iter_bytes(), limit_bytes, address):
                content.write(part)
            return _reply(response, content.getvalue())

    def get_range(self, address: str, wanted: str, *, limit_bytes: int = RANGE_LIMIT_BYTES) -> Reply:
        """Return a part of a file, as `wanted` (a Range header) asks; the status is not 206 where there are none.

        A server that sends the whole instead is not listened to.
        """
        with self._stream("GET", address, "*/*", {"Range": wanted}) as response:
            partial = response.status_code == 206
            content = b"".join(_limited(response.iter_raw(), limit_bytes, address)) if partial else b""
            return _reply(response, content)

    def answers(self, address: str) -> str:
        """Ask whether a server has something at an address; returns why not, or an empty text."""
        try:
            with self._stream("HEAD", address, "*/*") as response:
                status = response.status_code
                if status in (404, 410):
                    return f"the server answers, but has nothing there ({status})"
                return f"the server asks who you are ({status})" if status in (401, 403) else ""
        except TransferFailed as error:
            return error.message

    def download(self, address: str, target: str, *, sha256: str, size_bytes: int = -1) -> int:
        """Write what is at an address to a new file and return its size in bytes.

        The file appears under its name only when its SHA-256 matched; raises HashDiffers otherwise. An empty
        `sha256` is for what nobody promised anything of; the caller takes its digest and keeps it. `size_bytes` is
        the size that was promised, -1 for none: where more comes, no more of it is taken.

        What was promised by its hash is gone on with where an earlier try broke off; one try at a time has the part.
        """
        promised = DOWNLOAD_LIMIT_BYTES if size_bytes < 0 else size_bytes
        part, keep = "", False
        try:
            os.makedirs(os.path.dirname(target), exist_ok=True)
            with held_part(target, goes_on=bool(sha256)) as file:
                part = str(file.name)
                there = os.fstat(file.fileno()).st_size
                try:
                    digest, size = self._fill(file, address, promised)
                    if there and digest != sha256:
                        # What was left of an earlier try was not of this file.
                        file.truncate(0)
                        digest, size = self._fill(file, address, promised)
                except (TransferFailed, KeyboardInterrupt) as error:
                    begun = file.seek(0, os.SEEK_END) > 0
                    keep = bool(sha256) and begun and not isinstance(error, TransferStopped)
                    raise
            if sha256 and digest != sha256:
                raise HashDiffers(
                    f"{os.path.basename(target)} is not what was promised: its SHA-256 is"
                    f" {digest[:16]}…, promised was {sha256[:16]}…",
                    where=shown_address(address),
                    next_step="try again; if it persists, tell the maintainer",
                )
            os.replace(part, target)
        except OSError as error:
            raise TransferFailed(
                f"{os.path.basename(target)} could not be written: {(error.strerror or str(error)).lower()}",
                where=os.path.dirname(target),
                next_step=ush("look", why="free disk, and where ush stores"),
            ) from error
        finally:
            if part and not keep:
                with contextlib.suppress(OSError):
                    os.unlink(part)
        return size

    def _fill(self, file: typing.IO[bytes], address: str, limit_bytes: int) -> tuple[str, int]:
        """Write an address's bytes to a file, after those that are in it; a transfer that breaks off is gone on with."""
        state, size = _digest_so_far(file)
        if size > limit_bytes:
            state, size = _begun_anew(file)
        tag, tried = "", 1
        self.on_bytes(address, size, limit_bytes)
        while size == 0 or size != limit_bytes:
            before = size
            try:
                with self._chunks(address, start=size, tag=tag) as (start, tag, chunks):
                    if start != size:
                        # The server began anew, or has no such part.
                        state, size = _begun_anew(file)
                    for chunk in chunks:
                        size += len(chunk)
                        if size > limit_bytes:
                            raise TransferStopped(
                                f"more than {limit_bytes} bytes arrived", where=shown_address(address)
                            )
                        state.update(chunk)
                        file.write(chunk)
                        self.on_bytes(address, size, limit_bytes)
                if start >= 0:
                    break
            except TransferStopped:
                raise
            except TransferFailed:
                tried += 1
                if size <= before or tried > TRIES:
                    raise
        return state.hexdigest(), size

    def close(self) -> None:
        """Close the connections."""
        if self._client is not None:
            self._client.close()

    @contextlib.contextmanager
    def _chunks(self, address: str, *, start: int = 0, tag: str = "") -> Iterator[tuple[int, str, Iterator[bytes]]]:
        """Yield where the bytes begin, the file's tag, and the bytes; from `start` on, if it is the file of that tag, and -1
        where the file ends before that.
        """
        place = place_of_address(address)
        if place is not None:
            if not os.path.isfile(place):
                raise TransferFailed("there is no such file", where=place)
            with open(place, "rb") as file:
                yield 0, "", iter(lambda: file.read(1 << 20), b"")
            return
        more = {"Range": f"bytes={start}-", **({"If-Range": tag} if tag else {})} if start else {}
        with self._stream("GET", address, "*/*", more, most_seconds=DOWNLOAD_SECONDS) as response:
            if response.status_code == 404:
                raise TransferFailed("there is no such file (404)", where=shown_address(address))
            if start and response.status_code == 416:
                yield -1, "", iter(())
                return
            continues = response.status_code == 206 and response.headers.get("content-range", "").startswith(
                f"bytes {start}-"
            )
            yield start if continues else 0, response.headers.get("etag", ""), response.iter_raw()

    @contextlib.contextmanager
    def _stream(
        self,
        method: str,
        address: str,
        accept: str,
        more: Mapping[str, str] | None = None,
        *,
        most_seconds: float = PAGE_SECONDS,
    ) -> Iterator["httpx.Response"]:
        import httpx

        from .pacing import pacing

        if self.offline:
            raise TransferFailed(
                f"{shown_address(address)} is not in the cache, and downloads are off",
                again_without=("--offline",),
            )
        if not is_web_address(address):
            raise TransferFailed(f"{shown_address(address)!r} is not an address that can be fetched")
        client = self._opened()
        # Wheels must come as they are stored: their hash is over those bytes.
        headers = {"Accept": accept, "Accept-Encoding": "gzip" if accept != "*/*" else "identity", **(more or {})}
        try:
            user = credentials_for(address, self._host)
            with (
                pacing(shown_address(address), most_seconds),
                _send(client, method, address, headers, user) as response,
            ):
                refusal = response.status_code >= 400 and response.status_code not in (404, 416)
                if refusal and method != "HEAD":
                    raise refused_by(response, address, self._connecting.proxy_for(address))
                yield response
        except httpx.InvalidURL as error:
            raise TransferFailed(f"{shown_address(address)!r} is not an address that can be fetched") from error
        except httpx.HTTPError as error:
            raise not_reached(error, address, self._connecting.proxy_for(address)) from error

    def _opened(self) -> "httpx.Client":
        # Several threads begin at once, and making one is dear: it reads the certificates that are trusted.
        with self._opening:
            if self._client is None:
                self._client = self._connecting.open()
            return self._client


def _digest_so_far(file: typing.IO[bytes]) -> tuple["hashlib._Hash", int]:
    """Return the state of a digest over what is in a file, and its size; what is written next goes after it."""
    state, size = hashlib.sha256(), 0
    file.seek(0)
    while content := file.read(1 << 20):
        state.update(content)
        size += len(content)
    return state, size


def _begun_anew(file: typing.IO[bytes]) -> tuple["hashlib._Hash", int]:
    file.seek(0)
    file.truncate()
    return hashlib.sha256(), 0


def _reply(response: "httpx.Response", content: bytes) -> Reply:
    headers = response.headers
    return Reply(
        status=response.status_code,
        content=content,
        content_type=headers.get("content-type", ""),
        address=str(response.url),
        content_range=headers.get("content-range", ""),
        etag=headers.get("etag", ""),
        last_modified=headers.get("last-modified", ""),
        cache_control=headers.get("cache-control", ""),
    )


@contextlib.contextmanager
def _send(
    client: "httpx.Client", method: str, address: str, headers: dict[str, str], user: tuple[str, str] | None
) -> Iterator["httpx.Response"]:
    """Send a request, again after a pause where that may help: no connection, or a passing refusal.

    Where the server says how long to wait, that long, within reason.
    """
    import httpx

    from .keyring_credentials import KeyringAuth

    auth = httpx.BasicAuth(*user) if user is not None else KeyringAuth(user_in_address(address)[0])
    address = shown_address(address)
    for tried in range(1, TRIES + 1):
        try:
            response = client.send(client.build_request(method, address, headers=headers), auth=auth, stream=True)
        except (httpx.ConnectError, httpx.ConnectTimeout, httpx.RemoteProtocolError):
            if tried == TRIES:
                raise
        else:
            if response.status_code not in RETRY_STATUSES or tried == TRIES:
                try:
                    yield response
                finally:
                    response.close()
                return
            told = response.headers.get("retry-after", "")
            response.close()
            if told.isdigit():
                pause(min(float(told), MOST_WAIT_SECONDS))
                continue
        pause(0.2 * 2**tried)


def _limited(chunks: Iterator[bytes], limit_bytes: int, address: str) -> Iterator[bytes]:
    size = 0
    for chunk in chunks:
        size += len(chunk)
        if size > limit_bytes:
            raise TransferFailed(f"the page is longer than {limit_bytes} bytes", where=shown_address(address))
        yield chunk


def _read_local(place: str, address: str, limit_bytes: int) -> Reply:
    if not os.path.isfile(place):
        # Not there, or a folder, device or pipe, which would never end.
        return Reply(status=404, content=b"", content_type="", address=address)
    try:
        with open(place, "rb") as file:
            content = b"".join(_limited(iter(lambda: file.read(1 << 20), b""), limit_bytes, address))
    except OSError as error:
        raise TransferFailed(f"{place} cannot be read: {os_error_reason(error)}") from error
    kind = "text/html" if place.endswith((".html", ".htm")) else ""
    return Reply(status=200, content=content, content_type=kind, address=address)
