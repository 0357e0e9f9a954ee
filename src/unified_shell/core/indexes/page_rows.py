"""The JSON form of a project's page, as far as it is read: decoded in one go, since pages are large.

Source: PEP 691 (form), 592 (yanked), 658 and 714 (metadata files), 700 (sizes and times).
"""

import msgspec

__all__ = ["Page", "Row"]


class Meta(msgspec.Struct, rename={"api_version": "api-version"}):
    """What the page says of itself."""

    api_version: str = "1.0"


class Row(msgspec.Struct, rename=lambda name: name.replace("_", "-")):
    """One file."""

    filename: str
    url: str = ""
    hashes: dict[str, str] = {}
    requires_python: str | None = None
    core_metadata: bool | dict[str, str] | None = None
    dist_info_metadata: bool | dict[str, str] | None = None
    yanked: bool | str = False
    size: int | None = None
    upload_time: str | None = None


class Page(msgspec.Struct):
    """The whole."""

    files: list[Row]
    meta: Meta = msgspec.field(default_factory=Meta)
