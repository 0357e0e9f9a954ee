"""An account of its own for a test: a scratch home, the installed `ush`, real shells."""

import hashlib
import json
import os
import re
import stat
import subprocess
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from . import suggestions, warm

USH = str(Path(sys.executable).with_name("ush"))
BASE_PYTHON = os.path.realpath(os.path.join(sys.base_prefix, "bin", "python3"))
PATH = "/usr/bin:/bin"
# What the plotting library notes of this machine's fonts: each home would look through them anew, for five seconds.
FONTS = Path(__file__).parents[2] / ".pytest_cache" / "fonts"
# What differs between two runs of the same change, and means nothing.
MASKS = (
    (re.compile(rb'"identity":"[^"]*"'), b'"identity":"-"'),
    (re.compile(rb"unified-shell-identity = .*"), b"identity"),
    (re.compile(rb'made(_seconds)?\\?":[0-9.]+'), b"made"),
    # What a compiler writes of its own run: the identity of a build.
    (re.compile(rb"\x04\0\0\0\x14\0\0\0\x03\0\0\0GNU\0.{20}", re.DOTALL), b"build"),
)


@dataclass(frozen=True)
class Result:
    """How a command ended."""

    code: int
    out: str
    err: str

    def json(self) -> dict:  # type: ignore[type-arg]
        found: dict = json.loads(self.out)  # type: ignore[type-arg]
        return found


@dataclass
class Account:
    """A scratch home and what is typed in it."""

    home: Path
    more: dict[str, str] = field(default_factory=dict)
    # Where it is typed, if not at home.
    folder: Path | None = None

    @property
    def variables(self) -> dict[str, str]:
        base = {"HOME": str(self.home), "PATH": PATH, "SHELL": "/bin/bash", "TERM": "dumb", "LANG": "C.UTF-8"}
        return {**base, "MPLCONFIGDIR": str(FONTS), **self.more}

    @property
    def data(self) -> Path:
        return self.home / ".local/share/unified-shell"

    def ush(
        self, *words: str | os.PathLike[str], code: int | None = 0, more: Mapping[str, str] | None = None
    ) -> Result:
        """Run `ush`; where a code is given, anything else fails with all that was printed."""
        typed = [os.fspath(word) for word in words]
        variables = {**self.variables, **(more or {})}
        if warm.is_for_the_interpreter(variables):
            done = self.run([USH, *typed], more=more)
        else:
            found, out, err = warm.run(typed, variables, str(self.folder or self.home), b"")
            done = Result(found, _text(out), _text(err))
        if code is not None:
            assert done.code == code, f"ush {words} ended with {done.code}, not {code}\n{done.out}\n{done.err}"
        assert "Traceback" not in done.err, done.err
        suggestions.check(done.out + done.err)
        return done

    def run(self, argv: Sequence[str], *, more: Mapping[str, str] | None = None, given: str = "") -> Result:
        done = subprocess.run(
            argv,
            env={**self.variables, **(more or {})},
            cwd=self.folder or self.home,
            input=given.encode(),
            capture_output=True,
            timeout=120,
            check=False,
            start_new_session=True,
        )
        return Result(done.returncode, _text(done.stdout), _text(done.stderr))

    def session(self, line: str, *, shell: str = "bash", login: bool = False) -> Result:
        """Run a line in a new interactive session of a shell."""
        return self.run([f"/bin/{shell}", *(["-l"] if login else []), "-i", "-c", line])

    def environment(self, name: str = "hive") -> Path:
        return self.data / "environments" / name

    def new_environment(self, name: str = "hive") -> Path:
        self.ush("environment", "new", name, "--interpreter", BASE_PYTHON, "--yes")
        return self.environment(name)

    def write(self, name: str, content: str | bytes, mode: int = 0o644) -> Path:
        path = self.home / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        path.chmod(mode)
        return path

    def tool(self, name: str, says: str = "here", folder: str = "tools") -> Path:
        """Write a command that says something."""
        return self.write(f"{folder}/{name}", f"#!/bin/sh\necho {says}\n", 0o755)


def visible_state(home: Path) -> dict[str, str]:
    """Return every visible file below a home with a digest; what undo and caches keep is left out.

    Environments are read through their links, so that two editions with the same content are the same.
    """
    data = home / ".local/share/unified-shell"
    found: dict[str, str] = {}
    for folder, folders, files in os.walk(home):
        here = Path(folder)
        if here == data:
            folders[:] = [
                one
                for one in folders
                if one in ("wiring", "interpreters", "environments", "commands", "launchers", "suites")
            ]
            files = [one for one in files if one == "environments.toml"]
        if here == home:
            folders[:] = [one for one in folders if one != ".cache"]
        found.update({str((here / one).relative_to(home)): _digest(here / one) for one in files})
        if here == data / "environments":
            for name in folders:
                found.update(environment_state(here / name))
    return found


def environment_state(prefix: Path) -> dict[str, str]:
    """Return every file of an environment with a digest, without what differs between any two."""
    return {
        f"{prefix.name}/{os.path.relpath(os.path.join(folder, name), prefix)}": _digest(Path(folder) / name)
        for folder, _, files in os.walk(f"{prefix}/")
        for name in files
    }


# What a file was found to hold, by all that changes with it: many are looked at hundreds of times.
_known: dict[tuple[int, ...], str] = {}


def _digest(path: Path) -> str:
    facts = path.lstat()
    if stat.S_ISLNK(facts.st_mode):
        return f"link {os.readlink(path)}"
    if path.suffix == ".pyc":
        return "byte code"
    key = (facts.st_dev, facts.st_ino, facts.st_size, facts.st_mode, facts.st_mtime_ns, facts.st_ctime_ns)
    if key not in _known:
        content = path.read_bytes()
        for pattern, instead in MASKS:
            content = pattern.sub(instead, content)
        _known[key] = f"{facts.st_mode & 0o777:o} {hashlib.sha256(content).hexdigest()[:16]}"
    return _known[key]


def _text(raw: bytes) -> str:
    return raw.decode("utf-8", "surrogateescape")
