"""An environment as a person or another tool makes one: pyvenv.cfg, links, wheels unzipped, launchers with its place."""

import os
import sys
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from support.account import BASE_PYTHON
from unified_shell.core.distributions.entry_points import parse_entry_points
from unified_shell.core.distributions.shebangs import shebang_lines

VERSION = f"{sys.version_info.major}.{sys.version_info.minor}"


def hand_made(prefix: Path, wheels: Sequence[Path], extras: Mapping[str, str] | None = None) -> Path:
    """Make one; `extras` are files that nobody records, by their path below it."""
    site = prefix / f"lib/python{VERSION}/site-packages"
    site.mkdir(parents=True)
    (prefix / "bin").mkdir()
    (prefix / "bin/python").symlink_to(BASE_PYTHON)
    (prefix / "pyvenv.cfg").write_text(f"home = {os.path.dirname(BASE_PYTHON)}\nversion = {sys.version.split()[0]}\n")
    for path in wheels:
        with zipfile.ZipFile(path) as wheel:
            wheel.extractall(site)
            names = wheel.namelist()
        info = site / next(name for name in names if name.endswith("/RECORD")).split("/")[0]
        (info / "INSTALLER").write_text("a person\n")
        record = (info / "RECORD").read_text()
        entries = info / "entry_points.txt"
        for one in parse_entry_points(entries.read_bytes(), "") if entries.exists() else ():
            script = prefix / "bin" / one.name
            script.write_text(
                shebang_lines(f"{prefix}/bin/python")
                + f"import sys\nfrom {one.module} import {one.attribute}\nsys.exit({one.attribute}())\n"
            )
            script.chmod(0o755)
            record += f"../../../bin/{one.name},,\n"
        (info / "RECORD").write_text(record)
    for name, text in (extras or {}).items():
        path = prefix / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    return prefix
