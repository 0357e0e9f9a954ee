"""Small suites for tests: an archive and a description, in a catalog that an account knows."""

import hashlib
import io
import json
import tarfile
from collections.abc import Mapping
from pathlib import Path

from .account import Account

# A program that says its name, and what it was started with.
SAYS = '#!/bin/sh\necho {name} {version} $HUM_MODE "$@"\n'


def packed(path: Path, files: Mapping[str, str | bytes], *, mode: int = 0o755) -> Path:
    """Write an archive; everything in it has one mode."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with tarfile.open(path, "w:gz") as archive:
        for name, content in files.items():
            data = content if isinstance(content, bytes) else content.encode()
            entry = tarfile.TarInfo(name)
            entry.size, entry.mode = len(data), mode
            archive.addfile(entry, io.BytesIO(data))
    return path


def suite(
    account: Account,
    name: str,
    version: str = "1.0",
    *,
    files: Mapping[str, str | bytes] | None = None,
    form: str = 'kind = "binary"\nplatform = "linux-x86_64"',
    more: str = "",
    offers: str = "",
) -> Path:
    """Put a suite into the account's catalog `apiary`, and return its description's file."""
    folder = account.home / "apiary-catalog"
    top = f"{name}-{version}"
    brought = {f"bin/{name}": SAYS.format(name=name, version=version)} if files is None else files
    content = {f"{top}/{path}": text for path, text in brought.items()}
    archive = packed(folder / f"{top}.tar.gz", content)
    digest = hashlib.sha256(archive.read_bytes()).hexdigest()
    described = folder / f"{top}.toml"
    described.write_text(f'''kind = "suite"
name = "{name}"
version = "{version}"
summary = "A test's own"
categories = ["tests"]

[licence]
spdx = "MIT"

[[form]]
{form}
file = "{archive.name}"
url = {json.dumps(archive.name)}
sha256 = "{digest}"
{more}

[offers]
search-path = {{ PATH = "bin" }}
{offers}
''')
    listed = folder / "catalog.toml"
    rows = listed.read_text() if listed.exists() else ""
    listed.write_text(rows + f'[[description]]\nfile = "{described.name}"\n')
    if "[catalog.apiary]" not in _config(account):
        account.ush("catalog", "add", "apiary", folder, "--yes")
    return described


def _config(account: Account) -> str:
    path = account.home / ".config/unified-shell/config.toml"
    return path.read_text() if path.exists() else ""
