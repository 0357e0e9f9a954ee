"""The tests' own loopback server: an index whose pages say what a test wants, and ways to answer that no server should."""

import contextlib
import hashlib
import http.server
import json
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

Answer = tuple[str, bytes] | Callable[[http.server.BaseHTTPRequestHandler], None]
JSON = "application/vnd.pypi.simple.v1+json"


class Loopback:
    """`pages` holds what is answered at each path: content type and bytes, or what writes the answer itself."""

    def __init__(self) -> None:
        self.pages: dict[str, Answer] = {}
        self.asked: list[str] = []
        self.address = ""

    def json_page(self, project: str, rows: Sequence[object], version: str = "1.0") -> None:
        body = json.dumps({"meta": {"api-version": version}, "name": project, "files": rows}).encode()
        self.pages[f"/simple/{project}/"] = (JSON, body)

    def html_page(self, project: str, body: str) -> None:
        self.pages[f"/simple/{project}/"] = ("text/html", body.encode())

    def offer(self, path: Path, **row: object) -> dict[str, object]:
        """Serve a file, and return its row as an honest page has it."""
        content = path.read_bytes()
        self.pages[f"/files/{path.name}"] = ("application/octet-stream", content)
        return {
            "filename": path.name,
            "url": f"{self.address}/files/{path.name}",
            "hashes": {"sha256": hashlib.sha256(content).hexdigest()},
            "size": len(content),
            **row,
        }


@contextlib.contextmanager
def loopback() -> Iterator[Loopback]:
    served = Loopback()

    class Handler(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            served.asked.append(self.path)
            answer = served.pages.get(self.path)
            try:
                if callable(answer):
                    answer(self)
                    self.close_connection = True
                    return
                self.send_response(404 if answer is None else 200)
                kind, content = answer or ("text/plain", b"")
                self.send_header("Content-Type", kind)
                self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                self.wfile.write(content)
            except OSError:
                # Whoever asked has heard enough.
                self.close_connection = True

        do_HEAD = do_GET  # noqa: N815 - the name that the server looks for

        def log_message(self, *_: object) -> None:
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, daemon=True).start()
    served.address = f"http://127.0.0.1:{server.server_address[1]}"
    try:
        yield served
    finally:
        server.shutdown()
        server.server_close()


def drip(handler: http.server.BaseHTTPRequestHandler) -> None:
    """Send headers at once and then half a byte a second."""
    handler.wfile.write(b"HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n")
    for _ in range(200):
        handler.wfile.write(b"x")
        handler.wfile.flush()
        time.sleep(2)


def slow_header(handler: http.server.BaseHTTPRequestHandler) -> None:
    """Never come to the end of the headers."""
    handler.wfile.write(b"HTTP/1.1 200 OK\r\n")
    for _ in range(400):
        handler.wfile.write(b"X")
        handler.wfile.flush()
        time.sleep(1)


def endless(handler: http.server.BaseHTTPRequestHandler) -> None:
    """Send what never ends."""
    handler.wfile.write(b"HTTP/1.1 200 OK\r\n\r\n")
    for _ in range(4000):
        handler.wfile.write(b"y" * 100_000)


def rude(handler: http.server.BaseHTTPRequestHandler) -> None:
    """Refuse in words that a terminal would obey."""
    handler.wfile.write(b"HTTP/1.1 418 No\x1b]0;owned\x07 \xc2\x9b31m tea\r\nContent-Length: 0\r\n\r\n")
