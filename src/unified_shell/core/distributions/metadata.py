"""Core metadata of a distribution, as far as installing and solving need it.

Source: the Core metadata specification (PEP 566, 643, 685). Read leniently: unknown fields are left alone.
"""

from msgspec import Struct

from unified_shell.core.errors import WheelBroken

from .headers import Headers, read_headers
from .names import NormalizedName, canonicalize_name

__all__ = ["Metadata", "parse_metadata"]

# Some put a licence's whole text where its name belongs.
MOST_TEXT = 40


class Metadata(Struct, frozen=True, kw_only=True):
    """The fields; `requires` are requirement texts, `extras` normalised names of extras."""

    name: NormalizedName
    version: str
    summary: str = ""
    licence: str = ""
    requires: tuple[str, ...] = ()
    requires_python: str = ""
    extras: tuple[str, ...] = ()


def parse_metadata(content: bytes, where: str) -> Metadata:
    """Return the fields of a METADATA file; raises WheelBroken without name and version."""
    headers = read_headers(content)
    name, version = headers.first("Name"), headers.first("Version")
    if not name or not version:
        raise WheelBroken("its metadata lacks a project name or version", where=where)
    return Metadata(
        name=canonicalize_name(name),
        version=version,
        summary=headers.first("Summary"),
        licence=_licence(headers),
        requires=tuple(" ".join(one.split()) for one in headers.every("Requires-Dist")),
        requires_python=headers.first("Requires-Python"),
        extras=tuple(canonicalize_name(one) for one in headers.every("Provides-Extra")),
    )


def _licence(headers: Headers) -> str:
    """Return the licence expression, else what the classifiers name, else the first line of the free text."""
    expression = headers.first("License-Expression")
    classified = [one.split("::")[-1].strip() for one in headers.every("Classifier") if one.startswith("License ::")]
    named = [one for one in classified if one != "OSI Approved"]
    text = headers.first("License").split("\n")[0]
    return expression or " or ".join(named) or (f"{text[:MOST_TEXT]}…" if len(text) > MOST_TEXT else text)
