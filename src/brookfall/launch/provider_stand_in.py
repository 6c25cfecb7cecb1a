"""A stand-in for a house's own OpenID Connect provider: on loopback, for the demo and the tests, where nobody is asked
for a password. Who is who is chosen on a page; codes, keys and tokens are as the standard has them."""

import base64
import hashlib
import json
import secrets
import sys
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlencode

from flask import Flask, abort, jsonify, redirect, render_template_string, request
from joserfc import jwt
from joserfc.jwk import RSAKey
from werkzeug import Response
from werkzeug.serving import BaseWSGIServer, make_server

CLIENT_ID, CLIENT_SECRET = "brookfall", "kept-on-loopback"
LASTS_SECONDS = 300

_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Hollinmoor sign-in</title>
<style>body { font: 16px/1.5 sans-serif; max-width: 26em; margin: 4em auto; color: #17282B } button { font: inherit;
display: block; width: 100%; margin: .4em 0; padding: .5em; text-align: left } </style>
<h1>Hollinmoor sign-in</h1><p>A stand-in for the county's own: choose who you are.</p>
<form method="post"><label><input type="checkbox" name="second_factor" value="yes"> with a second factor</label>
{% for login, person in people.items() %}<button name="login" value="{{ login }}">{{ person.name }}, {{
person.roles | join(", ") }}</button>{% endfor %}</form></html>"""


@dataclass
class StandIn:
    """The stand-in's people by login, its key, and the codes that it has given out.

    ``claims`` are put over those of every token: so that tests see what is refused.
    """

    issuer: str
    people: Mapping[str, Mapping[str, Any]]
    key: RSAKey = field(default_factory=lambda: RSAKey.generate_key(2048, {"kid": secrets.token_hex(4), "use": "sig"}))
    signs_with: RSAKey | None = None
    claims: dict[str, Any] = field(default_factory=dict)
    codes: dict[str, dict[str, Any]] = field(default_factory=dict)

    def application(self) -> Flask:
        """Its pages and addresses."""
        app = Flask(__name__)

        @app.get("/.well-known/openid-configuration")
        def _metadata() -> Response:
            return jsonify(
                issuer=self.issuer,
                authorization_endpoint=f"{self.issuer}/authorize",
                token_endpoint=f"{self.issuer}/token",
                jwks_uri=f"{self.issuer}/keys",
                response_types_supported=["code"],
                subject_types_supported=["public"],
                id_token_signing_alg_values_supported=["RS256"],
                code_challenge_methods_supported=["S256"],
            )

        @app.get("/keys")
        def _keys() -> Response:
            return jsonify(keys=[self.key.as_dict(private=False)])

        @app.route("/authorize", methods=["GET", "POST"])
        def _authorize() -> Response | str:
            asked = request.args
            if asked.get("client_id") != CLIENT_ID or asked.get("code_challenge_method") != "S256":
                abort(400)
            login = request.form.get("login")
            if login not in self.people:
                return render_template_string(_PAGE, people=self.people)
            code = secrets.token_urlsafe(16)
            self.codes[code] = {
                **asked.to_dict(),
                "login": login,
                "at": int(time.time()),
                "amr": ["pwd", "otp", "mfa"] if request.form.get("second_factor") else ["pwd"],
            }
            back = urlencode({"code": code, "state": asked.get("state", "")})
            return redirect(f"{asked['redirect_uri']}?{back}")

        @app.post("/token")
        def _token() -> Response:
            given = self.codes.pop(request.form.get("code", ""), None)
            if given is None or not self._is_client() or not _proves(given, request.form.get("code_verifier", "")):
                return Response(json.dumps({"error": "invalid_grant"}), 400, content_type="application/json")
            return jsonify(
                access_token=secrets.token_urlsafe(16), token_type="Bearer", expires_in=LASTS_SECONDS,  # noqa: S106
                id_token=self._id_token(given),
            )  # fmt: skip

        return app

    def _is_client(self) -> bool:
        sent = request.authorization
        return sent is not None and (sent.username, sent.password) == (CLIENT_ID, CLIENT_SECRET)

    def _id_token(self, given: Mapping[str, Any]) -> str:
        now, person = int(time.time()), self.people[given["login"]]
        claims = {
            "iss": self.issuer,
            "sub": f"stand-in-{given['login']}",
            "aud": CLIENT_ID,
            "iat": now,
            "exp": now + LASTS_SECONDS,
            "auth_time": given["at"],
            "nonce": given.get("nonce"),
            "amr": given["amr"],
            "preferred_username": given["login"],
            "name": person["name"],
            "roles": list(person["roles"]),
            **({"email": person["email"], "email_verified": True} if "email" in person else {}),
            **self.claims,
        }
        key = self.signs_with or self.key
        return str(jwt.encode({"alg": "RS256", "kid": self.key.kid}, claims, key))


def _proves(given: Mapping[str, Any], verifier: str) -> bool:
    """Whether who asks for the token is who asked for the code (PKCE)."""
    hashed = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
    return secrets.compare_digest(hashed, str(given.get("code_challenge")))


def serve(stand_in: StandIn, port: int) -> BaseWSGIServer:
    """The stand-in on a port of loopback, in a thread of its own; ``shutdown`` it."""
    server = make_server("127.0.0.1", port, stand_in.application(), threaded=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


def main() -> None:
    """Arguments: the port, and the people as JSON, ``{"login": {"name": …, "roles": […]}}``."""
    port = int(sys.argv[1])
    serve(StandIn(f"http://127.0.0.1:{port}", json.loads(sys.argv[2])), port)
    threading.Event().wait()


if __name__ == "__main__":
    main()
