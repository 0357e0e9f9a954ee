"""Runs `ush` in forked children and kills one before a chosen point. Reads requests, answers in JSON lines.

A point is anything that changes a file below the home, as Python's audit events tell it before it happens,
and each step of a change, before and after it. So every state that a killed process can leave is reached.
"""

import errno
import gc
import importlib
import json
import os
import pkgutil
import signal
import sys

import unified_shell
from unified_shell.entry import COLLECT_EVERY

CHANGING = {"os.rename", "os.remove", "os.mkdir", "os.rmdir", "os.symlink", "os.link", "os.chmod", "os.truncate"}
WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC


def warm() -> None:
    """Import everything once, so that a child begins at once, and is forked from quickly."""
    # What the library of locks does at each fork takes longer than the fork; nothing here holds a lock while it forks what
    # goes on to use it.
    register, os.register_at_fork = os.register_at_fork, lambda **_: None
    importlib.import_module("filelock")
    os.register_at_fork = register
    for module in pkgutil.walk_packages(unified_shell.__path__, "unified_shell."):
        if "study_data" not in module.name and module.name.rpartition(".")[2] not in NEVER_IMPORTED:
            importlib.import_module(module.name)
    for name in (
        "configparser",
        "ctypes",
        "encodings.ascii",
        "pty",
        "httpx",
        "msgspec",
        "psutil",
        "rich.table",
        "rich.padding",
        "sqlite3",
        "tomlkit",
    ):
        importlib.import_module(name)
    # What is loaded by whoever starts something.
    from unified_shell.core.machine.processes.descendants import ending_with_us

    ending_with_us()
    # As the installed command does.
    gc.set_threshold(COLLECT_EVERY)


NEVER_IMPORTED = {
    "__main__",
    "probe_python",
    "compile_files",
    "call_build_hook",
    "import_one",
    "import_forked",
    "files_of_imports",
    "load_entry_point",
    "loaded_files",
    "end_with_parent",
    "write_variables",
}


def is_point(event: str, values: tuple[object, ...], home: str) -> bool:
    if event == "unified_shell.step":
        return True
    if event == "open":
        path, _, flags = values
        changes = isinstance(flags, int) and flags & WRITING and not flags & os.O_DIRECTORY
    else:
        path, changes = (values[0] if values else ""), event in CHANGING
    # Names relative to a folder's handle belong to an archive that is unpacked in staging.
    return bool(changes) and isinstance(path, str) and (path.startswith(home) or not path.startswith("/"))


def no_link(_source: str, target: str, *_: object, **__: object) -> None:
    """Stands for `os.symlink` on a file system that has none."""
    raise OSError(errno.EPERM, os.strerror(errno.EPERM), target)


def child(request: dict[str, object], report: int) -> None:
    from unified_shell.cli.main import main

    home, kill_at = str(request["home"]), request["kill_at"]
    seen: list[str] = []

    def watch(event: str, values: tuple[object, ...]) -> None:
        if (event in CHANGING or event in ("open", "unified_shell.step")) and is_point(event, values, home):
            if len(seen) == kill_at:
                os.kill(os.getpid(), signal.SIGKILL)
            seen.append(event)

    if not request.get("links", True):
        os.symlink = no_link  # type: ignore[assignment]  # it never returns
    variables = request["variables"]
    assert isinstance(variables, dict)
    os.environ.clear()
    os.environ.update(variables)
    os.chdir(home)
    words = request["words"]
    assert isinstance(words, list)
    sys.argv = ["ush", *words]
    nothing = os.open(os.devnull, os.O_RDWR)
    for descriptor in (0, 1, 2):
        os.dup2(nothing, descriptor)
    sys.stdin, sys.stdout, sys.stderr = open(0), open(1, "w"), open(2, "w")  # noqa: SIM115
    sys.addaudithook(watch)
    code = 70
    try:
        main()
    except SystemExit as error:
        code = error.code if isinstance(error.code, int) else 0
    os.write(report, json.dumps({"code": code, "points": seen}).encode())
    os._exit(0)


def serve() -> None:
    warm()
    # What all children share is not looked through again in each, which would also copy it.
    gc.freeze()
    for line in sys.stdin:
        request = json.loads(line)
        reading, writing = os.pipe()
        number = os.fork()
        if number == 0:
            os.close(reading)
            child(request, writing)
        os.close(writing)
        with open(reading, "rb") as answer:
            text = answer.read()
        os.waitpid(number, 0)
        print(text.decode() or json.dumps({"code": -9, "points": []}), flush=True)


if __name__ == "__main__":
    serve()
