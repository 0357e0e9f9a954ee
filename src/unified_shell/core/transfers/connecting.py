"""How servers are reached: through which proxy, trusting which certificates.

What the usual variables say (`http_proxy`, `https_proxy`, `no_proxy`, `SSL_CERT_FILE`) counts before what the
configuration says; the system's own certificates are trusted besides.
"""

import ssl
import typing
import urllib.parse

from msgspec import Struct

from unified_shell.core.errors import TransferFailed, os_error_text
from unified_shell.core.machine.host import Host

from .addresses import shown_address

if typing.TYPE_CHECKING:
    import httpx

__all__ = ["Connecting", "NetworkSettings"]

# The silence after which a connection counts as dead.
TIMEOUT_SECONDS = 30.0
ALWAYS_DIRECT = ("localhost", "127.0.0.1", "::1")


class NetworkSettings(Struct, frozen=True, kw_only=True):
    """What the configuration says: a proxy's address, hosts that need none, a file of certificates (PEM)."""

    proxy: str = ""
    no_proxy: tuple[str, ...] = ()
    certificates: str = ""


class Connecting(Struct, frozen=True):
    """Opens the client, and knows which proxy an address goes through."""

    host: Host
    settings: NetworkSettings

    def open(self) -> "httpx.Client":
        """Return a client; raises TransferFailed where the certificates cannot be read."""
        import httpx

        from .pacing import paced_transport

        context = self._trust()
        schemes = {f"{scheme}://": self._proxy_of(scheme) for scheme in ("http", "https")}
        try:
            mounts: dict[str, httpx.BaseTransport | None] = {
                scheme: paced_transport(proxy=proxy, verify=context) for scheme, proxy in schemes.items() if proxy
            }
        except ValueError as error:
            raise TransferFailed(
                f"a proxy's address cannot be used: {str(error).split(': ')[0]}",
                next_step="write it as http://HOST:PORT in http_proxy and https_proxy",
            ) from error
        if mounts:
            mounts.update({_pattern(name): None for name in self._direct()})
        return httpx.Client(
            follow_redirects=True,
            timeout=TIMEOUT_SECONDS,
            transport=paced_transport(verify=context),
            trust_env=False,
            mounts=mounts,
            headers={"User-Agent": "unified-shell"},
        )

    def proxy_for(self, address: str) -> str:
        """Return the address of the proxy on the way, without name and password; empty for none."""
        parts = urllib.parse.urlsplit(address)
        name = parts.hostname or ""
        if any(name == one or name.endswith(f".{one}") for one in self._direct()):
            return ""
        return shown_address(self._proxy_of(parts.scheme))

    def _proxy_of(self, scheme: str) -> str:
        variable = self.host.variable
        return variable(f"{scheme}_proxy") or variable(f"{scheme.upper()}_PROXY") or self.settings.proxy

    def _direct(self) -> tuple[str, ...]:
        told = (self.host.variable("no_proxy") or self.host.variable("NO_PROXY")).split(",")
        named = (one.strip().lstrip(".") for one in (*told, *self.settings.no_proxy))
        return (*filter(None, named), *ALWAYS_DIRECT)

    def _trust(self) -> ssl.SSLContext:
        import truststore

        context = truststore.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        path = self.host.variable("SSL_CERT_FILE") or self.settings.certificates
        if path:
            try:
                context.load_verify_locations(cafile=path)
            except OSError as error:
                why = "holds no certificates" if isinstance(error, ssl.SSLError) else os_error_text(error)
                raise TransferFailed(
                    f"the certificates of {path} cannot be used: {why}",
                    next_step="see SSL_CERT_FILE, and certificates in [network] of config.toml",
                ) from error
        return context


def _pattern(name: str) -> str:
    if ":" in name:
        return f"all://[{name}]"
    return f"all://*{name}" if name[0].isalpha() else f"all://{name}"
