"""Every request has a number, that its answer, its lines in the log and a fault's words have in common."""

import logging
import re
import time
from uuid import uuid4

from flask import Flask, Response, g, request
from structlog.contextvars import bind_contextvars, clear_contextvars

HEADER = "X-Request-ID"
_GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")

_log = logging.getLogger(__name__)


def log_requests(app: Flask) -> None:
    """A line for every request but those for files of the pages and those of machines that look after this one."""

    @app.before_request
    def _begin() -> None:
        given = request.headers.get(HEADER, "")
        g.request_id = given if _GIVEN.fullmatch(given) else uuid4().hex
        g.request_began = time.monotonic()
        clear_contextvars()
        bind_contextvars(request=g.request_id)
        if (case_id := (request.view_args or {}).get("case_id")) is not None:
            bind_contextvars(case=case_id)

    @app.after_request
    def _end(response: Response) -> Response:
        response.headers[HEADER] = g.request_id
        if request.path.startswith("/api/"):
            rule = request.url_rule.rule if request.url_rule is not None else None
            _log.info(
                "answered",
                extra={
                    "method": request.method,
                    "rule": rule,
                    "status": response.status_code,
                    "ms": round(1000 * (time.monotonic() - g.request_began)),
                },
            )
        return response


def request_id() -> str:
    """The number of the request that is being answered."""
    return str(g.request_id)
