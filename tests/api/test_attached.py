"""Files as they are handed out again: what a browser may show, and what it only saves."""

import pytest
from flask import Flask

from brookfall.api.attached import kept_file


@pytest.mark.parametrize(
    ("name", "data", "kind"),
    [
        ("minutes.pdf", b"%PDF-1.7 and so on", "application/pdf"),
        ("Minutes.PDF", b"%PDF-1.4", "application/pdf"),
        ("plan.png", b"\x89PNG\r\n\x1a\n....", "image/png"),
        ("plan.jpeg", b"\xff\xd8\xff\xe0....", "image/jpeg"),
        ("notes.md", "Größe".encode(), "text/plain; charset=utf-8"),
        ("data/rows.csv", b"a,b\n1,2\n", "text/plain; charset=utf-8"),
        ("submission.yaml", b"brookfall: 1\n", "text/plain; charset=utf-8"),
        ("page.html", b"<script>alert(1)</script>", None),
        ("drawing.svg", b"<svg onload='alert(1)'/>", None),
        ("no suffix", b"plain", None),
        ("says it is.pdf", b"<script>alert(1)</script>", None),
        ("says it is.png", b"<svg/>", None),
        ("says it is.txt", b"\xff\xfe\x00\x01", None),
        ("has a nul.csv", b"a\0b", None),
        ("model.onnx", b"\x08\x07", None),
    ],
)
def test_a_browser_shows_what_is_what_its_name_says_and_saves_the_rest(
    name: str, data: bytes, kind: str | None
) -> None:
    with Flask(__name__).test_request_context():
        response = kept_file(name, data)
        response.direct_passthrough = False
        assert response.get_data() == data
    assert response.headers["Content-Type"] == (kind or "application/octet-stream")
    assert response.headers["Content-Disposition"].startswith("attachment" if kind is None else "inline")
    policy = response.headers["Content-Security-Policy"]
    assert policy.startswith("default-src 'none'")
    assert ("sandbox" in policy) == (kind != "application/pdf")
    assert "script-src" not in policy
