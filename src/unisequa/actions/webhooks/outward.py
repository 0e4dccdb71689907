"""Connections to other programs, never to one inside: the address is looked at when it is connected to."""

from __future__ import annotations

import ipaddress
import socket
import ssl
from collections.abc import Collection, Iterable, Mapping
from typing import Any
from urllib.parse import urlsplit

import httpcore2

from unisequa.actions.outbox import Refused

PATIENCE = 15.0
"""Seconds that another program is waited for."""


class Guarded(httpcore2.NetworkBackend):
    """Connects to addresses that everybody can reach alone, unless the administrator allows the host."""

    def __init__(self, allowed: Collection[str]) -> None:
        self._allowed = frozenset(one.casefold() for one in allowed)
        self._plain = httpcore2.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore2.NetworkStream:
        address = host
        if host.casefold() not in self._allowed:
            found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
            addresses = [str(one[4][0]) for one in found]
            if not addresses or not all(is_outside(one) for one in addresses):
                raise Refused(f"{host} is an address inside; the administrator may allow it (UNISEQUA_WEBHOOK_HOSTS)")
            address = addresses[0]
        return self._plain.connect_tcp(address, port, timeout, local_address, socket_options)


def is_outside(text: str) -> bool:
    """Whether an address is one that everybody can reach: not loopback, private, link-local or multicast, nor one of
    those wrapped in IPv6.

    >>> [is_outside(one) for one in ("93.184.216.34", "127.0.0.1", "10.1.2.3", "169.254.169.254", "::ffff:10.0.0.1")]
    [True, False, False, False, False]
    """
    address = ipaddress.ip_address(text.partition("%")[0])
    if isinstance(address, ipaddress.IPv6Address):
        inner = address.ipv4_mapped or address.sixtofour or (address.teredo[1] if address.teredo else None)
        if inner is None and address in ipaddress.ip_network("64:ff9b::/96"):
            inner = ipaddress.IPv4Address(int(address) & 0xFFFFFFFF)
        if inner is not None:
            return is_outside(str(inner))
    return address.is_global and not address.is_multicast


def post(url: str, body: str, headers: Mapping[bytes | str, bytes | str], allowed: Collection[str]) -> int:
    """Send something to another program; gives the status that it answers with. Redirects are not followed, and no
    proxy of the environment is used.

    Raises
    ------
    Refused
        Where the address is none that may be reached.
    OSError
        Where it cannot be reached now.
    """
    if urlsplit(url).scheme not in {"http", "https"}:
        raise Refused("only http and https are spoken")
    times = {"timeout": {"connect": PATIENCE, "read": PATIENCE, "write": PATIENCE, "pool": PATIENCE}}
    with httpcore2.ConnectionPool(ssl_context=ssl.create_default_context(), network_backend=Guarded(allowed)) as pool:
        try:
            answer = pool.request("POST", url, headers=headers, content=body.encode(), extensions=times)
        except (httpcore2.ConnectError, httpcore2.TimeoutException, httpcore2.NetworkError) as error:
            raise OSError(str(error) or type(error).__name__) from error
        except (httpcore2.ProtocolError, httpcore2.UnsupportedProtocol) as error:
            raise OSError(f"it does not speak HTTP: {error}") from error
        return int(answer.status)
