"""Names and passwords for servers: from an address itself, the environment, or the person's netrc file.

They go to the server that they are for and to no other: not to one that a redirect leads to. Sources: RFC 7617; the
netrc format as the standard library reads it.
"""

import netrc
import os
import urllib.parse

from unified_shell.core.errors import TransferFailed
from unified_shell.core.machine.host import Host
from unified_shell.core.machine.places import join
from unified_shell.core.next_steps import Command

from .addresses import user_in_address, variable_part

__all__ = ["credentials_for"]


def credentials_for(address: str, host: Host) -> tuple[str, str] | None:
    """Return user and password for an address, or None; the user is the one whom the address names, if it does.

    The environment's are `USH_USER_<HOST>` and `USH_PASSWORD_<HOST>`, the host in capitals with `_` for what is no
    letter or digit; then the netrc file, `~/.netrc` or what NETRC names.
    """
    parts = urllib.parse.urlsplit(address)
    if not parts.hostname:
        return None
    named_user, named_password = user_in_address(address)
    if named_password:
        return named_user, named_password
    named = variable_part(parts.hostname)
    user, password = host.variable(f"USH_USER_{named}"), host.variable(f"USH_PASSWORD_{named}")
    if (user or password) and named_user in ("", user or named_user):
        return user or named_user, password
    path = host.variable("NETRC") or join(host.home, ".netrc")
    try:
        if not os.path.isfile(path):
            return None
        found = netrc.netrc(path).authenticators(parts.hostname)
        if found is not None and os.stat(path).st_mode & 0o077:
            raise TransferFailed(
                f"{path} holds a password and can be read by others; it is not used",
                next_step=Command(words=("chmod", "600", path)),
            )
    except (OSError, netrc.NetrcParseError):
        return None
    if found is None or named_user not in ("", found[0]):
        return None
    return found[0], found[2] or ""
