"""Runs `ush` in children of a process that has imported everything already: starting an interpreter is most of a test.

A call is a fork of that process, with its own variables, folder, session and files for what it prints. Where the variables
say something to the interpreter itself, such as the encoding, the installed `ush` is started instead; so it is by every test
that opens it in a session of a shell.
"""

import atexit
import gc
import json
import os
import selectors
import socket
import subprocess
import sys
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

# Where it is set, what is warm has no POSIX parts, as far as the project's own modules can see.
WITHOUT_POSIX = "USH_TEST_WITHOUT_POSIX"

__all__ = ["is_for_the_interpreter", "run"]

_started: list[tuple[subprocess.Popen[bytes], str]] = []


def is_for_the_interpreter(variables: Mapping[str, str]) -> bool:
    """Tell whether variables would make another interpreter of ours than the one that is warm."""
    odd = [name for name in variables if name.startswith(("PYTHON", "LC_"))]
    return bool(odd) or variables.get("LANG") != "C.UTF-8"


def run(words: Sequence[str], variables: Mapping[str, str], folder: str, given: bytes) -> tuple[int, bytes, bytes]:
    """Run one call and return its exit code (minus the signal's number) and what it printed."""
    with tempfile.TemporaryDirectory(prefix="ush-warm-") as place:
        Path(place, "in").write_bytes(given)
        with socket.socket(socket.AF_UNIX) as line:
            line.settimeout(120)
            line.connect(_address())
            request = {"words": list(words), "variables": dict(variables), "folder": folder, "place": place}
            line.sendall(json.dumps(request).encode() + b"\n")
            code = int(line.makefile().readline())
        return code, Path(place, "out").read_bytes(), Path(place, "err").read_bytes()


def _address() -> str:
    if not _started:
        folder = tempfile.mkdtemp(prefix="ush-zygote-")
        address = os.path.join(folder, "line")
        environment = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "HOME": folder}
        environment |= {name: os.environ[name] for name in (WITHOUT_POSIX,) if name in os.environ}
        process = subprocess.Popen(
            [sys.executable, __file__, address], env=environment, stdout=subprocess.PIPE, start_new_session=True
        )
        assert process.stdout is not None
        process.stdout.readline()
        _started.append((process, address))
        atexit.register(process.kill)
    return _started[0][1]


def _serve(address: str) -> None:
    sys.path.insert(0, str(Path(__file__).parent.parent))
    from support.kill_driver import warm
    from support.without_posix import strip

    if WITHOUT_POSIX in os.environ:
        strip()
    warm()
    # What all calls share is not looked through again in each, which would also copy it.
    gc.freeze()
    with socket.socket(socket.AF_UNIX) as door, selectors.DefaultSelector() as waiting:
        door.bind(address)
        door.listen(64)
        waiting.register(door, selectors.EVENT_READ)
        print("ready", flush=True)
        while True:
            for key, _ in waiting.select():
                if key.fileobj is door:
                    line, _ = door.accept()
                    number = _begin(line)
                    waiting.register(os.pidfd_open(number), selectors.EVENT_READ, (number, line))
                else:
                    waiting.unregister(key.fileobj)
                    os.close(key.fd)
                    _answer(*key.data)


def _begin(line: socket.socket) -> int:
    """Begin a call in a child, which has no line to anybody that others could wait for; return its number."""
    request = json.loads(line.makefile().readline())
    number = os.fork()
    if number == 0:
        os.closerange(3, 256)
        _child(request)
    return number


def _answer(number: int, line: socket.socket) -> None:
    _, status = os.waitpid(number, 0)
    with line:
        line.sendall(f"{os.waitstatus_to_exitcode(status)}\n".encode())


def _child(request: dict[str, object]) -> None:
    from unified_shell.cli.main import main

    os.setsid()
    place, words, variables = str(request["place"]), request["words"], request["variables"]
    assert isinstance(words, list)
    assert isinstance(variables, dict)
    os.environ.clear()
    os.environ.update(variables)
    os.chdir(str(request["folder"]))
    for descriptor, name, flags in (
        (0, "in", os.O_RDONLY),
        (1, "out", os.O_WRONLY | os.O_CREAT),
        (2, "err", os.O_WRONLY | os.O_CREAT),
    ):
        opened = os.open(os.path.join(place, name), flags, 0o600)
        os.dup2(opened, descriptor)
        os.close(opened)
    sys.stdin, sys.stdout, sys.stderr = open(0), open(1, "w"), open(2, "w")  # noqa: SIM115
    sys.argv = ["ush", *words]
    code = 70
    try:
        main()
    except SystemExit as error:
        code = error.code if isinstance(error.code, int) else 0
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)


if __name__ == "__main__":
    _serve(sys.argv[1])
