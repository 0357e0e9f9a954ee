"""Making wheels of the sample study, always the same bytes: the demo's index has something to serve."""

import os
import zipfile
from collections.abc import Mapping, Sequence

from msgspec import Struct

from unified_shell.core.distributions.record import RecordRow, hash_text, record_text
from unified_shell.core.machine.files.digests import digest_of_bytes

__all__ = ["WheelSource", "make_wheel"]

MADE_AT = (2026, 5, 1, 9, 0, 0)


class WheelSource(Struct, frozen=True, kw_only=True):
    """What goes into a wheel: files by their names in it, requirements, commands as `name = module:function`."""

    project: str
    version: str
    summary: str = ""
    files: Mapping[str, bytes]
    requires: Sequence[str] = ()
    extras: Sequence[str] = ()
    commands: Sequence[str] = ()
    requires_python: str = ">=3.8"
    tag: str = "py3-none-any"


def make_wheel(source: WheelSource, folder: str) -> str:
    """Write the wheel into a folder and return its path."""
    stem = f"{source.project.replace('-', '_')}-{source.version}"
    info = f"{stem}.dist-info"
    files = {**source.files, f"{info}/METADATA": _metadata(source), f"{info}/WHEEL": _wheel(source)}
    if source.commands:
        lines = "\n".join(source.commands)
        files[f"{info}/entry_points.txt"] = f"[console_scripts]\n{lines}\n".encode()
    rows = [
        RecordRow(path=name, digest=hash_text(digest_of_bytes(content)), size_bytes=len(content))
        for name, content in files.items()
    ]
    record = f"{info}/RECORD"
    files[record] = record_text((*rows, RecordRow(path=record))).encode()
    path = os.path.join(folder, f"{stem}-{source.tag}.whl")
    os.makedirs(folder, exist_ok=True)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            member = zipfile.ZipInfo(name, MADE_AT)
            member.external_attr = 0o100644 << 16
            member.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(member, content)
    return path


def _metadata(source: WheelSource) -> bytes:
    fields = [
        ("Metadata-Version", "2.4"),
        ("Name", source.project),
        ("Version", source.version),
        ("Summary", source.summary),
        ("License-Expression", "MIT"),
        ("Requires-Python", source.requires_python),
        *(("Provides-Extra", extra) for extra in source.extras),
        *(("Requires-Dist", text) for text in source.requires),
    ]
    return ("".join(f"{key}: {value}\n" for key, value in fields if value) + "\n").encode()


def _wheel(source: WheelSource) -> bytes:
    return f"Wheel-Version: 1.0\nGenerator: unified-shell\nRoot-Is-Purelib: true\nTag: {source.tag}\n".encode()
