"""The application: the API, the built front end, and the headers that keep both safe."""

import secrets
from pathlib import Path
from typing import Any

from flask import Blueprint, Flask, Response, abort, g, make_response, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from pydantic import ValidationError

from brookfall.api.account_routes import account_api
from brookfall.api.blueprint import QUEUE
from brookfall.api.condition_routes import condition_api
from brookfall.api.decision_routes import decision_api
from brookfall.api.draft_routes import drafts_api
from brookfall.api.evidence_routes import evidence_api
from brookfall.api.fairness_routes import fairness_api
from brookfall.api.finding_routes import finding_api
from brookfall.api.handling_routes import handling_api
from brookfall.api.inbox_routes import inbox_api
from brookfall.api.inventory_routes import inventory_api
from brookfall.api.margin_routes import margin_api
from brookfall.api.new_rows_routes import new_rows_api
from brookfall.api.operations import serve_operations
from brookfall.api.override_routes import override_api
from brookfall.api.plan_routes import plan_api
from brookfall.api.policy_routes import policy_api
from brookfall.api.problems import from_validation, handle_problems
from brookfall.api.provider import serve_provider
from brookfall.api.proxies import BehindProxies
from brookfall.api.question_routes import question_api
from brookfall.api.record_routes import record_api
from brookfall.api.request_log import log_requests
from brookfall.api.retention_routes import retention_api
from brookfall.api.routes import AT_ONCE, api
from brookfall.api.search_routes import search_api
from brookfall.api.session import guard
from brookfall.api.session_routes import session_api
from brookfall.api.statement_routes import statement_api
from brookfall.api.template_routes import template_api
from brookfall.records.config import config

_PARTS = (
    account_api,
    api,
    drafts_api,
    inbox_api,
    inventory_api,
    plan_api,
    evidence_api,
    new_rows_api,
    fairness_api,
    finding_api,
    margin_api,
    handling_api,
    question_api,
    condition_api,
    statement_api,
    template_api,
    decision_api,
    override_api,
    policy_api,
    record_api,
    retention_api,
    search_api,
    session_api,
)

_BUILT = Path(__file__).resolve().parents[3] / "web" / "dist"
FRONT_END = _BUILT if _BUILT.is_dir() else Path(__file__).resolve().parents[1] / "pages"
"""The built pages: beside the sources, or inside the package that a wheel installed."""


def create_app(front_end: Path = FRONT_END) -> Flask:
    """The WSGI application; ``front_end`` is the folder of the built pages."""
    app = bare_app()
    settings = config()
    app.config.update(
        SECRET_KEY=settings.secret_key,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=settings.secure_cookies,
        MAX_CONTENT_LENGTH=AT_ONCE,
        RATELIMIT_STORAGE_URI=settings.redis_url,
        # Without Redis each process counts for itself: signing in goes on, and is still throttled.
        RATELIMIT_IN_MEMORY_FALLBACK_ENABLED=True,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_HEADERS=["X-CSRF-Token"],
        WTF_CSRF_SSL_STRICT=False,
    )
    # Imported here: it reads the configuration, which the API's description does without.
    from brookfall.engine.app import CeleryQueue

    app.extensions[QUEUE] = CeleryQueue()
    log_requests(app)
    guard(app)
    handle_problems(app)
    serve_operations(app)
    serve_provider(app)
    _serve_pages(app, front_end)
    if settings.trusted_proxies:
        app.wsgi_app = BehindProxies(app.wsgi_app, settings.trusted_proxies)  # type: ignore[method-assign]
    return app


def description() -> dict[str, Any]:
    """The OpenAPI description of every address of the API."""
    for part in _PARTS:
        part.describe()
    return dict(bare_app().api_doc)


def bare_app() -> OpenAPI:
    """The API alone; needs no database."""
    app = OpenAPI(
        "brookfall",
        info=Info(title="Brookfall", version="1"),
        security_schemes={
            "session": {"type": "apiKey", "in": "cookie", "name": "session"},
            "token": {"type": "http", "scheme": "bearer"},
        },
        validation_error_callback=_invalid,
        doc_ui=False,
        static_folder=None,
    )
    for part in _PARTS:
        app.register_api(part)
    return app


def _invalid(error: ValidationError) -> Response:
    return from_validation(error)


def _serve_pages(app: Flask, folder: Path) -> None:
    @app.before_request
    def _nonce() -> None:
        g.nonce = secrets.token_urlsafe(16)

    # A plain blueprint: these addresses are no part of the API's description.
    pages = Blueprint("pages", __name__)

    @pages.get("/assets/<path:name>")
    def _asset(name: str) -> Response:
        """A hashed file: the brotli one beside it where the browser takes it."""
        squeezed = folder / "assets" / f"{name}.br"
        if request.accept_encodings.quality("br") > 0 and squeezed.is_file():
            response = send_from_directory(folder / "assets", f"{name}.br", mimetype=_mimetype(name), max_age=31536000)
            response.headers["Content-Encoding"] = "br"
        else:
            response = send_from_directory(folder / "assets", name, mimetype=_mimetype(name), max_age=31536000)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        response.headers["Vary"] = "Accept-Encoding"
        return response

    @pages.get("/", defaults={"path": ""})
    @pages.get("/<path:path>")
    def _page(path: str) -> Response:
        """Every address that is not the API is a view of the one page."""
        if path.startswith("api/"):
            abort(404)
        index = folder / "index.html"
        if not index.is_file():
            abort(503, "The pages have not been built; run 'make build'.")
        html = index.read_text(encoding="utf-8").replace("__NONCE__", g.nonce)
        response = make_response(html)
        response.headers["Cache-Control"] = "no-store"
        return response

    app.register_blueprint(pages)

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault(
            "Content-Security-Policy",
            f"default-src 'self'; script-src 'self'; style-src 'self' 'nonce-{g.get('nonce', '')}'; "
            "style-src-attr 'unsafe-inline'; img-src 'self' data:; font-src 'self'; object-src 'none'; "
            "base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
        )
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        if response.status_code == 204:
            response.headers.pop("Content-Type", None)
        response.headers.setdefault("Referrer-Policy", "same-origin")
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        if app.config["SESSION_COOKIE_SECURE"]:
            response.headers.setdefault("Strict-Transport-Security", "max-age=31536000")
        return response


def _mimetype(name: str) -> str:
    kinds = {".js": "text/javascript", ".css": "text/css", ".woff2": "font/woff2", ".svg": "image/svg+xml"}
    return kinds.get(Path(name).suffix, "application/octet-stream")
