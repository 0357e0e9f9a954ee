"""Solving generated projects, against the least that could be done with their pages: reading them as JSON.

Usage: python benchmarks/solving.py [PROJECTS ...]

Makes an index of that many projects (100: about 40,000 files, the design's row; above 500 with a tenth of the files
each), serves it on this machine, and prints in one run: what a solve takes with only raw pages, with the kept ones, and
what a fast JSON parser takes for those pages; bars are 5 and 1.0. Then the memory that reading the largest page needs,
above the same process without it, against the page's size; the bar is 2.5.
"""

import json
import multiprocessing
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import msgspec
from packaging.requirements import Requirement

from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.registered import Index
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.host import read_host
from unified_shell.core.resolution.driver import Target, run_solver
from unified_shell.core.transfers.fetching import Fetcher

RUNS = 5
FILES_PER_PROJECT = 400
KINDS = ("cp39", "cp310", "cp311", "cp312", "cp313")


def make_pages(
    projects: int, files_each: int = FILES_PER_PROJECT, seed: int = 7
) -> tuple[dict[str, bytes], dict[str, bytes]]:
    """Return the JSON pages by project, and the metadata by file."""
    chance = random.Random(seed)
    pages, metadata = {}, {}
    for number in range(projects):
        name, files = f"bee-{number}", []
        for version in range(1, files_each // len(KINDS) + 1):
            needs = chance.sample(range(number + 1, projects), k=min(3, projects - number - 1))
            lines = [f"Requires-Dist: bee-{one}>={max(1, min(version, 60) - 20)}" for one in needs]
            text = "\n".join(["Metadata-Version: 2.1", f"Name: {name}", f"Version: {version}.0", *lines, ""]).encode()
            for kind in KINDS:
                file = f"bee_{number}-{version}.0-{kind}-{kind}-manylinux_2_17_x86_64.manylinux2014_x86_64.whl"
                metadata[file] = text
                files.append(
                    {
                        "filename": file,
                        "url": f"/files/{file}",
                        "hashes": {"sha256": f"{chance.getrandbits(256):064x}"},
                        "requires-python": ">=3.9",
                        "core-metadata": True,
                        "size": 100_000,
                        "upload-time": "2026-05-01T09:00:00.000000Z",
                        "yanked": False,
                    }
                )
        page = {"meta": {"api-version": "1.1"}, "name": name, "files": files}
        pages[name] = json.dumps(page).encode()
    return pages, metadata


def serve(pages: dict[str, bytes], metadata: dict[str, bytes]) -> tuple[multiprocessing.process.BaseProcess, int]:
    """Serve them, each page with a tag, from a process of its own; returns that and its port."""

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        disable_nagle_algorithm = True

        def do_GET(self) -> None:
            last = self.path.strip("/").split("/")[-1]
            content = pages.get(last) or metadata.get(last.removesuffix(".metadata"), b"")
            status = 304 if last in pages and self.headers.get("If-None-Match") == '"bees"' else 200
            self.send_response(status if content else 404)
            self.send_header("Content-Type", "application/vnd.pypi.simple.v1+json")
            self.send_header("ETag", '"bees"')
            self.send_header("Cache-Control", "max-age=600")
            self.send_header("Content-Length", str(len(content) if status == 200 else 0))
            self.end_headers()
            if status == 200:
                self.wfile.write(content)

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    process = multiprocessing.get_context("fork").Process(target=server.serve_forever, daemon=True)
    process.start()
    return process, server.server_address[1]


def timed(work: Callable[[], object], before: Callable[[], object] = lambda: None) -> float:
    """Return the median seconds of a few runs; what `before` does is not counted."""
    seconds = []
    for _ in range(RUNS):
        before()
        began = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - began)
    return statistics.median(seconds)


def measure(projects: int) -> tuple[float, float, float, int, int]:
    """Return seconds with raw pages, with kept ones, and of parsing; bytes of the pages; projects chosen."""
    pages, metadata = make_pages(projects, FILES_PER_PROJECT if projects <= 500 else FILES_PER_PROJECT // 10)
    server, port = serve(pages, metadata)
    host, cache = read_host(), tempfile.mkdtemp(prefix="ush-bench-")
    facts = probe(sys.executable, host)
    target = Target(markers=facts.markers(), tags=supported_tags(facts.tag_facts()), python=facts.full_version)
    index = Index(name="apiary", address=f"http://127.0.0.1:{port}/simple/")
    chosen = 0

    def solve() -> None:
        nonlocal chosen
        client = IndexClient([index], Fetcher(host), cache)
        chosen = len(run_solver([Requirement(f"bee-{n}") for n in range(4)], target, client, {}, cache).chosen)

    def forget_pages() -> None:
        shutil.rmtree(Path(cache) / "pages", ignore_errors=True)

    solve()
    raw, kept = timed(solve, forget_pages), timed(solve)
    parsing = timed(lambda: [msgspec.json.decode(page) for page in pages.values()])
    server.terminate()
    shutil.rmtree(cache)
    return raw, kept, parsing, sum(map(len, pages.values())), chosen


def peak_bytes(address: str, project: str) -> int:
    """Return the peak memory of a process that reads a project's page, or does all but that."""
    program = (
        "import sys\n"
        "from unified_shell.core.indexes.client import IndexClient\n"
        "from unified_shell.core.indexes.registered import Index\n"
        "from unified_shell.core.machine.host import read_host\n"
        "from unified_shell.core.transfers.fetching import Fetcher\n"
        "client = IndexClient([Index(name='apiary', address=sys.argv[1])], Fetcher(read_host()))\n"
        "client.find('small').files\n"
        "count = len(client.find(sys.argv[2]).files)\n"
        # Not getrusage: its peak is the parent's, where that was larger.
        "print(next(line.split()[1] for line in open('/proc/self/status') if line.startswith('VmHWM')))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", program, address, project], capture_output=True, text=True, check=True
    )
    return int(done.stdout) * 1024


def measure_memory(files: int = 40_000) -> tuple[float, int]:
    """Return the peak above the same process without the page, in sizes of the page; and that size in bytes."""
    pages, metadata = make_pages(1, files)
    pages["small"] = make_pages(1, len(KINDS))[0]["bee-0"]
    server, port = serve(pages, metadata)
    address = f"http://127.0.0.1:{port}/simple/"
    above = peak_bytes(address, "bee-0") - peak_bytes(address, "small")
    server.terminate()
    return above / len(pages["bee-0"]), len(pages["bee-0"])


def main() -> None:
    """Print the figures."""
    for projects in [int(word) for word in sys.argv[1:]] or [100, 500, 2000]:
        raw, kept, parsing, size, chosen = measure(projects)
        print(
            f"{projects} projects ({chosen} chosen), {size / 1e6:.0f} MB of pages: raw {raw / parsing:.1f} of parsing,"
            f" kept {kept / parsing:.1f}; {raw:.2f} s, {kept:.2f} s, {parsing:.2f} s"
        )
    ratio, size = measure_memory()
    print(f"a page of {size / 1e6:.0f} MB: peak memory {ratio:.1f} of its size above the same process without it")


if __name__ == "__main__":
    main()
