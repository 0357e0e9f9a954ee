"""Wheels for tests: good ones made as the demo makes them, and those that a hostile stranger would make."""

import base64
import hashlib
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from unified_shell.demo.wheel_maker import WheelSource, make_wheel


def wheel(
    folder: Path,
    project: str,
    version: str = "1.0",
    *,
    requires: Sequence[str] = (),
    extras: Sequence[str] = (),
    commands: Sequence[str] = (),
    files: Mapping[str, bytes] | None = None,
    requires_python: str = "",
    tag: str = "py3-none-any",
) -> Path:
    """Make a good wheel with one module of the project's name, unless other files are given."""
    module = project.replace("-", "_")
    source = WheelSource(
        project=project,
        version=version,
        requires=requires,
        extras=extras,
        commands=commands,
        files=files if files is not None else {f"{module}.py": f"version = {version!r}\n".encode()},
        requires_python=requires_python,
        tag=tag,
    )
    return Path(make_wheel(source, str(folder)))


def rewrite(path: Path, change: Mapping[str, bytes | None], *, record: bool = True) -> Path:
    """Change members of a wheel (None takes one out); RECORD is made right again unless told otherwise."""
    with zipfile.ZipFile(path) as old:
        members = {name: old.read(name) for name in old.namelist()}
    for name, content in change.items():
        if content is None:
            members.pop(name, None)
        else:
            members[name] = content
    record_name = next((name for name in members if name.endswith(".dist-info/RECORD")), "")
    if record and record_name:
        rows = [f"{name},{_hash(content)},{len(content)}" for name, content in members.items() if name != record_name]
        members[record_name] = "\n".join([*rows, f"{record_name},,", ""]).encode()
    with zipfile.ZipFile(path, "w") as new:
        for name, content in members.items():
            new.writestr(name, content)
    return path


def _hash(content: bytes) -> str:
    raw = hashlib.sha256(content).digest()
    return "sha256=" + base64.urlsafe_b64encode(raw).decode().rstrip("=")
