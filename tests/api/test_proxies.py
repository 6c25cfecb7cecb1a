"""Of where a request comes from a trusted proxy is believed, and nobody else."""

from ipaddress import ip_network

import pytest
from flask import Flask, request

from brookfall.api.proxies import BehindProxies

TRUSTED = (ip_network("10.0.0.0/8"), ip_network("2001:db8::/32"))


@pytest.mark.parametrize(
    ("comes_from", "told", "address"),
    [
        ("203.0.113.9", "198.51.100.1", "203.0.113.9"),
        ("10.0.0.2", "198.51.100.1", "198.51.100.1"),
        ("10.0.0.2", "6.6.6.6, 198.51.100.1", "198.51.100.1"),
        ("10.0.0.2", "198.51.100.1, 10.0.0.7", "198.51.100.1"),
        ("10.0.0.2", "2001:db8::9, 10.0.0.7", "2001:db8::9"),
        ("10.0.0.2", "made up", "10.0.0.2"),
        ("10.0.0.2", "", "10.0.0.2"),
        ("2001:db8::1", "198.51.100.1", "198.51.100.1"),
    ],
)
def test_the_address_of_a_request(comes_from: str, told: str, address: str) -> None:
    app = Flask("proxied")
    app.add_url_rule("/", view_func=lambda: f"{request.remote_addr} {request.scheme}")
    app.wsgi_app = BehindProxies(app.wsgi_app, TRUSTED)  # type: ignore[method-assign]
    headers = {"X-Forwarded-For": told, "X-Forwarded-Proto": "https"}
    answer = app.test_client().get("/", headers=headers, environ_base={"REMOTE_ADDR": comes_from})
    scheme = "http" if comes_from == "203.0.113.9" else "https"
    assert answer.text == f"{address} {scheme}"
