"""The topics of `ush help`, and the causes of faults, as texts of the package."""

import tomllib
from functools import cache
from pathlib import Path

from msgspec import Struct

__all__ = ["CauseText", "causes", "topic_text", "topics"]

FOLDER = Path(__file__).parent
# In the order in which one comes to need them.
NAMES = (
    "choosing",
    "states",
    "search-paths",
    "shells",
    "environments",
    "packages",
    "indexes",
    "interpreters",
    "suites",
    "verifying",
    "changes",
    "outfits",
    "everyone",
    "scripts",
    "files",
)


class CauseText(Struct, frozen=True, kw_only=True):
    """A cause of a fault: its name, what was looked at, what it means, and what mends it."""

    name: str
    subject: str
    means: str
    mends: str


def topics() -> tuple[tuple[str, str], ...]:
    """Return the name and title of each topic, in the order of the work."""
    return tuple((name, topic_text(name).partition("\n")[0].removeprefix("# ")) for name in NAMES)


@cache
def topic_text(name: str) -> str:
    """Return the text of a topic; raises KeyError for a name that is none."""
    if name not in NAMES:
        raise KeyError(name)
    return (FOLDER / "topic_texts" / f"{name}.md").read_text(encoding="utf-8")


@cache
def causes() -> dict[str, CauseText]:
    """Return the causes by their names, in the order in which faults are told."""
    document = tomllib.loads((FOLDER / "causes.toml").read_text(encoding="utf-8"))
    return {
        name: CauseText(name=name, subject=subject, means=means, mends=mends)
        for subject, rows in document.items()
        for name, (means, mends) in rows.items()
    }
