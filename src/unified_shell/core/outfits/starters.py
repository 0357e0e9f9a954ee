"""The outfits that are part of ush, to begin from; each was equipped and verified on a real index before it was listed."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec
import tomlkit
from msgspec import Struct

from unified_shell.core.environments.packages.requests import parse_request
from unified_shell.core.errors import UnknownName
from unified_shell.core.next_steps import ush

__all__ = ["Starter", "read_starter", "starters"]

FOLDER = Path(__file__).with_name("starter_files")


class Starter(Struct, frozen=True, kw_only=True):
    """A starter: what it brings; what was fetched and what it took on disk when it was tried, in bytes; and what can be
    started afterwards (name and kind: editor, notebook or command).
    """

    name: str
    summary: str
    download_bytes: int
    disk_bytes: int
    starts: tuple[tuple[str, str], ...]


def starters() -> tuple[Starter, ...]:
    """Return the starters, the plainest first."""
    rows = msgspec.json.decode((FOLDER / "starters.json").read_bytes())
    return tuple(msgspec.convert(row, Starter) for row in rows)


def read_starter(name: str, *, called: str = "", packages: Sequence[str] = ()) -> str:
    """Return the text of a starter, `called` otherwise and with more packages in its first environment; raises UnknownName,
    and UsageError for what is not a requirement.
    """
    known = [one.name for one in starters()]
    if name not in known:
        raise UnknownName("starter", name, known, next_step=ush("outfit", "new"))
    text = (FOLDER / f"{name}.toml").read_text(encoding="utf-8")
    if not called and not packages:
        return text
    document: Any = tomlkit.parse(text)
    if called:
        document["outfit"]["name"] = called
    environment = next(iter(document["environment"].values()))
    held = environment.get("packages", [])
    environment["packages"] = [*held, *(str(parse_request(text)) for text in packages)]
    return tomlkit.dumps(document)
