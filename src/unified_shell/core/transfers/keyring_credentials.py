"""Names and passwords from the person's keyring, asked for only when a server wants them: it may have to be unlocked.

The service they are kept under is the server's host name. Without the extra `keyring` there is none.
"""

from collections.abc import Generator

import httpx

__all__ = ["KeyringAuth"]


class KeyringAuth(httpx.Auth):
    """Answers a server's refusal (401) once, with what is kept for its host; never for a host redirected to."""

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        """Send a request as it is; where it is refused, again with credentials."""
        response = yield request
        if response.status_code != 401 or response.url.host != request.url.host:
            return
        user = _kept_for(request.url.host)
        if user is not None:
            yield from httpx.BasicAuth(*user).auth_flow(request)


def _kept_for(hostname: str) -> tuple[str, str] | None:
    try:
        import keyring
        import keyring.errors
    except ImportError:
        return None
    try:
        found = keyring.get_credential(hostname, None)
    except keyring.errors.KeyringError:
        return None
    return (found.username, found.password) if found is not None else None
