"""The JSON form of a project's page, as far as it is read.

Source: PEP 691 (form), 592 (yanked), 658 and 714 (metadata files), 700 (sizes and times).
"""

import msgspec

__all__ = ["FirstPage", "Hashes", "Row", "Rows"]


class Meta(msgspec.Struct, rename={"api_version": "api-version"}):
    """What the page says of itself."""

    api_version: str = "1.0"


class Hashes(msgspec.Struct, frozen=True):
    """The one hash that is read."""

    sha256: str = ""


class Row(msgspec.Struct, rename=lambda name: name.replace("_", "-")):
    """One file."""

    filename: str
    url: str = ""
    hashes: Hashes = Hashes()
    requires_python: str | None = None
    core_metadata: bool | Hashes | None = None
    dist_info_metadata: bool | Hashes | None = None
    yanked: bool | str = False
    size: int | None = None
    upload_time: str | None = None


class Rows(msgspec.Struct):
    """The whole, its files not read yet: one at a time they need little memory."""

    files: list[msgspec.Raw]
    meta: Meta = msgspec.field(default_factory=Meta)


class ProjectRow(msgspec.Struct):
    """One project on the first page."""

    name: str = ""


class FirstPage(msgspec.Struct):
    """The page that lists an index's projects."""

    projects: list[ProjectRow] = []
