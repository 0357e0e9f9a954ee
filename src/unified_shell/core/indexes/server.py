"""Serving a folder of wheels by the Simple Repository API, in both forms, with metadata files.

Source: PEP 503, 629, 658, 691, 714. Nothing outside the folder's wheels is ever opened.
"""

import functools
import html
import http.server
import json
import os
import re
import sys
import urllib.parse
import zipfile
from collections.abc import Mapping

from unified_shell.core.distributions.metadata import parse_metadata
from unified_shell.core.distributions.names import NormalizedName, canonicalize_name
from unified_shell.core.distributions.sources import source_parts
from unified_shell.core.distributions.wheels import find_info_folder, parse_wheel_name
from unified_shell.core.errors import UshError
from unified_shell.core.machine.clock import iso_time
from unified_shell.core.machine.files.digests import digest_of_bytes, digest_of_file
from unified_shell.core.machine.places import Place

from .folders import projects_in

__all__ = ["make_server"]

JSON_TYPE = "application/vnd.pypi.simple.v1+json"
HTML_TYPE = "text/html; charset=utf-8"


def make_server(folder: str, *, address: str = "127.0.0.1", port: int = 0) -> http.server.ThreadingHTTPServer:
    """Return a server that listens already; `serve_forever` makes it answer. Port 0 takes a free one."""
    return _Server((address, port), functools.partial(_Handler, folder=folder))


class _Server(http.server.ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, request: object, client_address: object) -> None:
        """Pass over a client that goes away in the middle; anything else is told as usual."""
        if not isinstance(sys.exception(), ConnectionError):
            super().handle_error(request, client_address)  # type: ignore[arg-type]


class _Handler(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    # Headers and content in one packet: in two, the second waits for the first to be acknowledged.
    wbufsize = -1
    server_version = "ush"
    sys_version = ""
    # Head and body are two writes; waiting for the first one's receipt would cost 40 ms each.
    disable_nagle_algorithm = True

    def __init__(self, *args: object, folder: str, **rest: object) -> None:
        self._folder = folder
        super().__init__(*args, **rest)  # type: ignore[arg-type]

    def do_GET(self) -> None:
        """Answer a page, a wheel, a source distribution or a metadata file."""
        parts = [urllib.parse.unquote(one) for one in urllib.parse.urlsplit(self.path).path.split("/") if one]
        projects = projects_in(self._folder)
        match parts:
            case ["simple"]:
                self._send_projects(projects)
            case ["simple", name] if canonicalize_name(name) in projects:
                self._send_project(canonicalize_name(name), projects[canonicalize_name(name)])
            case ["files", name]:
                self._send_file(name, projects)
            case _:
                self._send(404, b"not here\n", "text/plain")

    do_HEAD = do_GET  # noqa: N815 - the standard library's name

    def log_message(self, format: str, *args: object) -> None:  # noqa: A002 - the standard library's name
        """Keep quiet; whoever serves sees requests in the client."""

    def _wants_json(self) -> bool:
        return "json" in self.headers.get("Accept", "")

    def _send_projects(self, projects: Mapping[NormalizedName, list[Place]]) -> None:
        if self._wants_json():
            page = {"meta": {"api-version": "1.1"}, "projects": [{"name": name} for name in sorted(projects)]}
            self._send(200, json.dumps(page).encode(), JSON_TYPE)
        else:
            links = "".join(f'<a href="{name}/">{name}</a><br>\n' for name in sorted(projects))
            self._send(200, _page("Projects", links), HTML_TYPE)

    def _send_project(self, project: NormalizedName, paths: list[Place]) -> None:
        files = [_facts(path, os.stat(path).st_mtime_ns) for path in paths]
        if self._wants_json():
            page = {
                "meta": {"api-version": "1.1"},
                "name": project,
                "versions": sorted({str(one["version"]) for one in files}),
                "files": [{key: value for key, value in one.items() if key != "version"} for one in files],
            }
            self._send(200, json.dumps(page).encode(), JSON_TYPE)
        else:
            self._send(200, _page(project, "".join(_link(one) for one in files)), HTML_TYPE)

    def _send_file(self, name: str, projects: Mapping[NormalizedName, list[Place]]) -> None:
        by_name = {os.path.basename(path): path for paths in projects.values() for path in paths}
        bare = name.removesuffix(".metadata")
        metadata = _metadata(by_name[bare]) if bare in by_name and bare != name else b""
        if bare not in by_name or (bare != name and not metadata):
            self._send(404, b"not here\n", "text/plain")
        elif bare == name:
            with open(by_name[bare], "rb") as file:
                self._send(200, file.read(), "application/octet-stream")
        else:
            self._send(200, metadata, "application/octet-stream")

    def _send(self, status: int, content: bytes, content_type: str) -> None:
        """Send a whole, a part that is asked for by Range, or word that it is what the client has (RFC 9110)."""
        tag = f'"{digest_of_bytes(content)[:32]}"'
        headers = {"Content-Type": content_type, "ETag": tag, "Accept-Ranges": "bytes"}
        if status == 200 and tag in self.headers.get("If-None-Match", ""):
            status, content = 304, b""
        elif status == 200 and (wanted := self.headers.get("Range")):
            found = _range(wanted, len(content))
            if found is None:
                status, headers["Content-Range"], content = 416, f"bytes */{len(content)}", b""
            else:
                start, end = found
                headers["Content-Range"] = f"bytes {start}-{end - 1}/{len(content)}"
                status, content = 206, content[start:end]
        self.send_response(status)
        for name, value in headers.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(content)


def _range(wanted: str, size: int) -> tuple[int, int] | None:
    """Return where one range begins and ends; None for one that cannot be given."""
    found = re.fullmatch(r"bytes=(\d*)-(\d*)", wanted.strip())
    if found is None or not (found[1] or found[2]):
        return None
    if not found[1]:
        start, end = max(size - int(found[2]), 0), size
    else:
        start, end = int(found[1]), min(int(found[2]) + 1 if found[2] else size, size)
    return (start, end) if start < end else None


def _page(title: str, body: str) -> bytes:
    head = f'<meta name="pypi:repository-version" content="1.1"><title>{html.escape(title)}</title>'
    return f"<!DOCTYPE html>\n<html><head>{head}</head><body>\n{body}</body></html>\n".encode()


def _link(one: Mapping[str, object]) -> str:
    hashes, core = one["hashes"], one["core-metadata"]
    attributes = f'href="{html.escape(str(one["url"]))}#sha256={dict(hashes)["sha256"]}"'  # type: ignore[call-overload]
    if one["requires-python"]:
        attributes += f' data-requires-python="{html.escape(str(one["requires-python"]))}"'
    if core:
        attributes += f' data-core-metadata="sha256={dict(core)["sha256"]}"'  # type: ignore[call-overload]
    return f"<a {attributes}>{html.escape(str(one['filename']))}</a><br>\n"


@functools.lru_cache(maxsize=4096)
def _facts(path: str, _mtime_ns: int) -> Mapping[str, object]:
    name = os.path.basename(path)
    parsed, source = parse_wheel_name(name), source_parts(name)
    metadata = _metadata(path) if parsed else b""
    requires = ""
    if metadata:
        try:
            requires = parse_metadata(metadata, name).requires_python
        except UshError:
            metadata = b""
    return {
        "filename": name,
        "version": str(parsed.version) if parsed else source.version if source else "",
        "url": f"/files/{urllib.parse.quote(name)}",
        "hashes": {"sha256": digest_of_file(path)},
        "size": os.path.getsize(path),
        "upload-time": iso_time(os.path.getmtime(path)),
        "requires-python": requires,
        "core-metadata": {"sha256": digest_of_bytes(metadata)} if metadata else False,
    }


def _metadata(path: str) -> bytes:
    """Return a wheel's METADATA, or nothing for a wheel that is broken: its client will see to that."""
    parsed = parse_wheel_name(os.path.basename(path))
    try:
        with zipfile.ZipFile(path) as opened:
            info = find_info_folder(opened.namelist(), parsed.project if parsed else "", path)
            return opened.read(f"{info}/METADATA")
    except (KeyError, OSError, zipfile.BadZipFile, UshError):
        return b""
