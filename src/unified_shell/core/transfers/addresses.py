"""Addresses that bytes come from: what may be shown of them, and which are files here."""

import os
import urllib.parse

from unified_shell.core.machine.places import Place

__all__ = ["address_of_folder", "is_web_address", "place_of_address", "shown_address"]


def is_web_address(address: str) -> bool:
    """Tell whether an address is an HTTP or HTTPS one."""
    return urllib.parse.urlsplit(address).scheme in ("http", "https")


def place_of_address(address: str) -> Place | None:
    """Return the file or folder that an address names on this machine, or None."""
    parts = urllib.parse.urlsplit(address)
    if parts.scheme == "file":
        return Place(os.fsdecode(urllib.parse.unquote_to_bytes(parts.path)))
    return Place(address) if os.path.isabs(address) else None


def address_of_folder(place: str) -> str:
    """Return a `file:` URL."""
    return "file://" + urllib.parse.quote(place, errors="surrogateescape")


def shown_address(address: str) -> str:
    """Return an address without the name and password that it may carry."""
    parts = urllib.parse.urlsplit(address)
    if "@" not in parts.netloc:
        return address
    return urllib.parse.urlunsplit(parts._replace(netloc=parts.netloc.rpartition("@")[2]))
