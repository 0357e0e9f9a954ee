"""Names and passwords from the person's keyring, asked for only when a server wants them: it may have to be unlocked.

The service they are kept under is the server's host name. Without the extra `keyring` there is none.
"""

from collections.abc import Generator

import httpx

from unified_shell.core.errors import CouldNot
from unified_shell.core.machine.own_extras import extra_line

__all__ = ["KeyringAuth", "keep_in_keyring"]


def keep_in_keyring(hostname: str, user: str, password: str) -> None:
    """Keep a password for a server in the person's keyring; raises CouldNot where there is none."""
    step = f"keep it in ~/.netrc instead (chmod 600), or install the keyring extra: {extra_line('keyring')}"
    try:
        import keyring
        import keyring.errors
    except ImportError as error:
        raise CouldNot("no keyring can be used: the extra keyring is not installed", next_step=step) from error
    try:
        keyring.set_password(hostname, user, password)
    except keyring.errors.KeyringError as error:
        raise CouldNot(f"the keyring refused it: {error}", next_step=step) from error


class KeyringAuth(httpx.Auth):
    """Answers a server's refusal (401) once, with what is kept for its host; never for a host redirected to.

    `user` is the one whom the address names, empty for any.
    """

    def __init__(self, user: str = "") -> None:
        self._user = user

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        """Send a request as it is; where it is refused, again with credentials."""
        response = yield request
        if response.status_code != 401 or response.url.host != request.url.host:
            return
        user = _kept_for(request.url.host, self._user)
        if user is not None:
            yield from httpx.BasicAuth(*user).auth_flow(request)


def _kept_for(hostname: str, user: str) -> tuple[str, str] | None:
    try:
        import keyring
        import keyring.errors
    except ImportError:
        return None
    try:
        found = keyring.get_credential(hostname, user or None)
    except keyring.errors.KeyringError:
        return None
    return (found.username, found.password) if found is not None else None
