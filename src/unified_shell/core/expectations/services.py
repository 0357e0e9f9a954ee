"""A service: it is started, waited for, asked, and ended."""

import socket
from collections.abc import Mapping

from unified_shell.core.machine.clock import pause, steady_seconds
from unified_shell.core.machine.processes.processes import BackgroundProgram

__all__ = ["service_trouble"]

# How often it is asked whether it is up.
ASK_SECONDS = 0.2


def service_trouble(
    words: tuple[str, ...], *, port: int, url: str, variables: Mapping[str, str], folder: str, limit_seconds: float
) -> str:
    """Start a service, wait until its port or address answers, and end it with all that it started; returns what went wrong."""
    if port and _answers(port, ""):
        return f"port {port} is taken by another program"
    end = steady_seconds() + limit_seconds
    try:
        with BackgroundProgram(words, environment=variables, directory=folder, is_heard=False) as program:
            while steady_seconds() < end:
                if _answers(port, url):
                    return ""
                if program.has_ended:
                    return "it ended before it answered"
                pause(ASK_SECONDS)
    except OSError as error:
        return f"it does not start: {(error.strerror or str(error)).lower()}"
    return f"{url or f'port {port}'} did not answer within {limit_seconds:.0f} s"


def _answers(port: int, url: str) -> bool:
    if url:
        import httpx

        try:
            return httpx.get(url, timeout=2.0, trust_env=False, verify=False).status_code < 500
        except httpx.HTTPError:
            return False
    try:
        with socket.create_connection(("127.0.0.1", port), timeout=1.0):
            return True
    except OSError:
        return False
