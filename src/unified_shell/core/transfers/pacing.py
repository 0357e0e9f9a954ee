"""Bounds of time and rate for a transfer, kept where its bytes arrive: headers, bodies and handshakes alike.

A server that sends half a byte a second keeps every single wait short. So the bytes of a transfer are counted in the
stream itself, and each wait there is cut into short ones, between which an interrupt is heard: also in a thread that the
interpreter interrupts nothing in.
"""

import contextlib
import contextvars
import ssl
import typing
from collections.abc import Iterable, Iterator

import httpcore
import httpx

from unified_shell.core.errors import TransferStopped
from unified_shell.core.machine.clock import steady_seconds
from unified_shell.core.machine.interrupts import raise_if_interrupted

__all__ = ["Pace", "paced_transport", "pacing"]

# Slower than any line that is in use: such a server keeps one waiting on purpose, or is dying.
LEAST_BYTES_PER_SECOND = 500
WINDOW_SECONDS = 30.0
# How soon an interrupt is seen while waiting.
SLICE_SECONDS = 0.4
# Above all that read at once, so that none waits for another.
MOST_CONNECTIONS = 40


class Pace:
    """The clock and the byte counter of one transfer, which may take `most_seconds` in all."""

    def __init__(self, where: str, most_seconds: float) -> None:
        self._where = where
        self._end = steady_seconds() + most_seconds
        self._most_seconds = most_seconds
        self._window_end = 0.0
        self._window_bytes = 0

    def arrived(self, size_bytes: int) -> None:
        """Note bytes; raises TransferStopped where they are too few, or it takes too long."""
        now = steady_seconds()
        if now > self._end:
            raise TransferStopped(f"the transfer did not end within {self._most_seconds:.0f} s", where=self._where)
        if now > self._window_end:
            if self._window_end and self._window_bytes < LEAST_BYTES_PER_SECOND * WINDOW_SECONDS:
                raise TransferStopped(
                    f"the server sent fewer than {LEAST_BYTES_PER_SECOND} bytes a second for {WINDOW_SECONDS:.0f} s",
                    where=self._where,
                    next_step="try again later, or take it from another index",
                )
            self._window_end, self._window_bytes = now + WINDOW_SECONDS, 0
        self._window_bytes += size_bytes


_pace: contextvars.ContextVar[Pace | None] = contextvars.ContextVar("pace", default=None)


@contextlib.contextmanager
def pacing(where: str, most_seconds: float) -> Iterator[None]:
    """Bound what is transferred by this thread in the block; `where` is the address as it may be shown."""
    before = _pace.set(Pace(where, most_seconds))
    try:
        yield
    finally:
        _pace.reset(before)


def paced_transport(*, verify: ssl.SSLContext, proxy: str | None = None) -> httpx.HTTPTransport:
    """Return a transport whose connections keep to the pace of the block that uses them."""
    # A connection is kept for each that reads ahead.
    limits = httpx.Limits(max_connections=MOST_CONNECTIONS, max_keepalive_connections=MOST_CONNECTIONS)
    transport = httpx.HTTPTransport(proxy=proxy, verify=verify, limits=limits)
    # The pool takes its backend as an argument, which the transport does not hand through.
    pool = transport._pool
    pool._network_backend = _PacedBackend(pool._network_backend)
    return transport


class _PacedBackend(httpcore.NetworkBackend):
    def __init__(self, backend: httpcore.NetworkBackend) -> None:
        self._backend = backend

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.NetworkStream:
        return _PacedStream(self._backend.connect_tcp(host, port, timeout, local_address, socket_options))

    def connect_unix_socket(
        self,
        path: str,
        timeout: float | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.NetworkStream:
        return _PacedStream(self._backend.connect_unix_socket(path, timeout, socket_options))

    def sleep(self, seconds: float) -> None:
        self._backend.sleep(seconds)


class _PacedStream(httpcore.NetworkStream):
    def __init__(self, stream: httpcore.NetworkStream) -> None:
        self._stream = stream

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        end = None if timeout is None else steady_seconds() + timeout
        while True:
            raise_if_interrupted()
            left = SLICE_SECONDS if end is None else end - steady_seconds()
            try:
                content = self._stream.read(max_bytes, max(min(SLICE_SECONDS, left), 0.001))
            except httpcore.ReadTimeout:
                if end is not None and steady_seconds() >= end:
                    raise
                continue
            if (pace := _pace.get()) is not None:
                pace.arrived(len(content))
            return content

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._stream.write(buffer, timeout)

    def close(self) -> None:
        self._stream.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.NetworkStream:
        return _PacedStream(self._stream.start_tls(ssl_context, server_hostname, timeout))

    def get_extra_info(self, info: str) -> typing.Any:
        return self._stream.get_extra_info(info)
