"""Whose word on the address of a request is believed: that of the proxies that the configuration names alone."""

from collections.abc import Iterable, Sequence
from ipaddress import IPv4Network, IPv6Network, ip_address
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIApplication, WSGIEnvironment

Networks = Sequence[IPv4Network | IPv6Network]


class BehindProxies:
    """Puts the address and the scheme that a trusted proxy tells in place of its own."""

    def __init__(self, app: "WSGIApplication", trusted: Networks) -> None:
        self._app = app
        self._trusted = trusted

    def __call__(self, environ: "WSGIEnvironment", start_response: "StartResponse") -> Iterable[bytes]:
        if is_trusted(environ.get("REMOTE_ADDR", ""), self._trusted):
            scheme = environ.get("HTTP_X_FORWARDED_PROTO", "").rpartition(",")[2].strip()
            if scheme in ("http", "https"):
                environ["wsgi.url_scheme"] = scheme
            told = [one.strip() for one in environ.get("HTTP_X_FORWARDED_FOR", "").split(",")]
            environ["REMOTE_ADDR"] = client_of([*told, environ["REMOTE_ADDR"]], self._trusted)
        return self._app(environ, start_response)


def client_of(addresses: Sequence[str], trusted: Networks) -> str:
    """The last address of the chain that is no trusted proxy's: what stands before it anybody can have written.

    >>> from ipaddress import ip_network
    >>> client_of(["6.6.6.6", "203.0.113.7", "10.0.0.2"], [ip_network("10.0.0.0/8")])
    '203.0.113.7'
    """
    known = addresses[-1]
    for one in reversed(addresses):
        if not _is_address(one):
            break
        known = one
        if not is_trusted(one, trusted):
            break
    return known


def is_trusted(address: str, trusted: Networks) -> bool:
    """Whether an address is one of a proxy that is named."""
    return _is_address(address) and any(ip_address(address) in network for network in trusted)


def _is_address(text: str) -> bool:
    try:
        ip_address(text)
    except ValueError:
        return False
    return True
