"""Core metadata of a distribution, as far as installing and solving need it.

Source: the Core metadata specification (PEP 566, 643, 685). Read leniently: unknown fields are left alone.
"""

from typing import TYPE_CHECKING

from msgspec import Struct

from unified_shell.core.errors import WheelBroken

from .names import NormalizedName, canonicalize_name

if TYPE_CHECKING:
    from email.message import Message

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
    import email.parser
    import email.policy

    message = email.parser.BytesParser(policy=email.policy.compat32).parsebytes(content, headersonly=True)
    name, version = str(message.get("Name", "")).strip(), str(message.get("Version", "")).strip()
    if not name or not version:
        raise WheelBroken("its metadata lacks a project name or version", where=where)
    return Metadata(
        name=canonicalize_name(name),
        version=version,
        summary=str(message.get("Summary", "")).strip(),
        licence=_licence(message),
        requires=tuple(" ".join(str(one).split()) for one in message.get_all("Requires-Dist", [])),
        requires_python=str(message.get("Requires-Python", "")).strip(),
        extras=tuple(canonicalize_name(str(one)) for one in message.get_all("Provides-Extra", [])),
    )


def _licence(message: "Message") -> str:
    """Return the licence expression, else what the classifiers name, else the first line of the free text."""
    expression = str(message.get("License-Expression") or "").strip()
    classified = [str(one).split("::")[-1].strip() for one in message.get_all("Classifier", [])
                  if str(one).startswith("License ::")]  # fmt: skip
    named = [one for one in classified if one != "OSI Approved"]
    text = str(message.get("License") or "").strip().split("\n")[0]
    return expression or " or ".join(named) or (f"{text[:MOST_TEXT]}…" if len(text) > MOST_TEXT else text)
