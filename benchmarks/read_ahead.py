"""Planning against an index that takes its time: how near to the longest chain of requests that need each other.

Usage: python benchmarks/read_ahead.py [PROJECTS] [DELAY_SECONDS]

Makes an index of that many projects (130, of which about 100 are reached), served by a process of its own that answers
each request after a delay (0.1 s), and prints in one run: the time of a solve from nothing, against the chain of
requests to the project that is farthest from what is asked for (its page, then its metadata, a pair for each level).
The bar is 1.3. Both interpreters start beforehand; loading the HTTP client counts.
"""

import hashlib
import http.server
import json
import multiprocessing
import random
import statistics
import sys
import tempfile
import time
from multiprocessing.connection import Connection

from packaging.requirements import Requirement

from unified_shell.core.distributions.tags import supported_tags
from unified_shell.core.indexes.client import IndexClient
from unified_shell.core.indexes.registered import Index
from unified_shell.core.interpreters.probing import probe
from unified_shell.core.machine.host import read_host
from unified_shell.core.resolution.driver import run_solver
from unified_shell.core.resolution.target import Target
from unified_shell.core.transfers.fetching import Fetcher

RUNS = 5
VERSIONS = 5
JSON = "application/vnd.pypi.simple.v1+json"


def make_answers(projects: int, seed: int = 5) -> tuple[dict[str, tuple[str, bytes]], dict[int, list[int]]]:
    """Return what is answered at each path, and what each project requires."""
    chance = random.Random(seed)
    answers: dict[str, tuple[str, bytes]] = {}
    required: dict[int, list[int]] = {}
    for number in range(projects):
        later = range(number + 1, min(projects, number + 40))
        required[number] = chance.sample(later, k=min(3, len(later)))
        rows = []
        for version in range(1, VERSIONS + 1):
            name = f"bee_{number}-{version}.0-py3-none-any.whl"
            needs = [f"Requires-Dist: bee-{one}" for one in required[number]]
            text = "\n".join(["Metadata-Version: 2.1", f"Name: bee-{number}", f"Version: {version}.0", *needs, ""])
            answers[f"/files/{name}.metadata"] = ("text/plain", text.encode())
            digest = hashlib.sha256(name.encode()).hexdigest()
            told = {"sha256": hashlib.sha256(text.encode()).hexdigest()}
            row = {"filename": name, "url": f"/files/{name}", "hashes": {"sha256": digest}, "core-metadata": told}
            rows.append(row)
        page = {"meta": {"api-version": "1.0"}, "name": f"bee-{number}", "files": rows}
        answers[f"/simple/bee-{number}/"] = (JSON, json.dumps(page).encode())
    return answers, required


def levels(required: dict[int, list[int]]) -> int:
    """Return how many projects follow one another on the way to the farthest one, by the shortest way to each."""
    found, todo = {0: 1}, [0]
    for one in todo:
        for other in required[one]:
            if other not in found:
                found[other] = found[one] + 1
                todo.append(other)
    return max(found.values())


def serve(projects: int, delay_seconds: float, tell: Connection) -> None:
    """Serve the index until the process is ended; tells its port."""
    answers, _ = make_answers(projects)

    class Handler(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        # Headers and content in one packet: in two, the second waits for the first to be acknowledged.
        wbufsize = -1

        def do_GET(self) -> None:
            time.sleep(delay_seconds)
            kind, content = answers.get(self.path, ("text/plain", b""))
            self.send_response(200 if content else 404)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)
            self.wfile.flush()

        def log_message(self, *_: object) -> None:
            pass

    class Server(http.server.ThreadingHTTPServer):
        daemon_threads = True
        request_queue_size = 128

    server = Server(("127.0.0.1", 0), Handler)
    tell.send(server.server_address[1])
    server.serve_forever()


def main() -> None:
    """Measure and print."""
    projects = int(sys.argv[1]) if len(sys.argv) > 1 else 130
    delay_seconds = float(sys.argv[2]) if len(sys.argv) > 2 else 0.1
    _, required = make_answers(projects)
    hear, tell = multiprocessing.Pipe()
    served = multiprocessing.Process(target=serve, args=(projects, delay_seconds, tell), daemon=True)
    served.start()
    address = f"http://127.0.0.1:{hear.recv()}/simple/"
    host = read_host()
    facts = probe(sys.executable, host)
    target = Target(markers=facts.markers(), tags=supported_tags(facts.tag_facts()), python=facts.full_version)
    taken = []
    for _ in range(RUNS):
        with tempfile.TemporaryDirectory() as cache:
            client = IndexClient([Index(name="bees", address=address)], Fetcher(host), cache)
            began = time.perf_counter()
            chosen = run_solver([Requirement("bee-0")], target, client, {}, cache).chosen
            taken.append(time.perf_counter() - began)
            client.fetcher.close()
    chain = levels(required) * 2 * delay_seconds
    median = statistics.median(taken)
    print(f"{len(chosen)} projects: {median:.2f} s (first {taken[0]:.2f}), the longest chain {chain:.2f} s")
    print(f"ratio {median / chain:.2f}, bar 1.3")


if __name__ == "__main__":
    main()
