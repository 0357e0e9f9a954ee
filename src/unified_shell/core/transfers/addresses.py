"""Addresses that bytes come from: what may be shown of them, and which are files here."""

import os
import urllib.parse

from unified_shell.core.errors import UsageError
from unified_shell.core.machine.places import Place
from unified_shell.core.next_steps import ush

__all__ = [
    "address_of_folder",
    "check_no_password",
    "is_web_address",
    "place_of_address",
    "shown_address",
    "user_in_address",
    "variable_part",
]


def is_web_address(address: str) -> bool:
    """Tell whether an address is an HTTP or HTTPS one that names a host."""
    parts = _split(address)
    return parts is not None and parts.scheme in ("http", "https") and bool(parts.hostname)


def place_of_address(address: str) -> Place | None:
    """Return the file or folder that an address names on this machine, or None."""
    parts = _split(address)
    if parts is None:
        return None
    if parts.scheme == "file":
        place = os.fsdecode(urllib.parse.unquote_to_bytes(parts.path))
    else:
        place = address if os.path.isabs(address) else ""
    # No file's name holds a NUL.
    return Place(place) if place and "\0" not in place else None


def address_of_folder(place: str) -> str:
    """Return a `file:` URL."""
    return "file://" + urllib.parse.quote(place, errors="surrogateescape")


def check_no_password(address: str) -> None:
    """Raise UsageError for an address that carries a password: addresses are written down, in files that others may read."""
    parts = _split(address)
    if parts is not None and parts.password is not None:
        raise UsageError(
            f"{shown_address(address)} was given with a password, which would be written down",
            next_step=(
                "leave it out, and keep it in your keyring:",
                ush("index", "add", "NAME", "ADDRESS", "--login"),
                "or in ~/.netrc, or in the variable USH_PASSWORD_HOST",
            ),
        )


def variable_part(host_name: str) -> str:
    """Return a host's name as it stands in the names of variables: capitals, `_` for what is no letter or digit."""
    return "".join(c if c.isalnum() else "_" for c in host_name.upper())


def user_in_address(address: str) -> tuple[str, str]:
    """Return the user name and password that an address carries, empty where it does not."""
    parts = _split(address)
    if parts is None:
        return "", ""
    return urllib.parse.unquote(parts.username or ""), urllib.parse.unquote(parts.password or "")


def shown_address(address: str) -> str:
    """Return an address without the name and password that it may carry."""
    parts = _split(address)
    if parts is None or "@" not in parts.netloc:
        return address
    return urllib.parse.urlunsplit(parts._replace(netloc=parts.netloc.rpartition("@")[2]))


def _split(address: str) -> urllib.parse.SplitResult | None:
    try:
        parts = urllib.parse.urlsplit(address)
        # Asking is what finds a port that is no number.
        _ = parts.port
    except ValueError:
        return None
    return parts
