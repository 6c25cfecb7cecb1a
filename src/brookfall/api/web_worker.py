"""The web server's worker: what it refuses before the application sees it is told as problem details too."""

import json
import socket
import threading
from typing import Any

from gunicorn import util
from gunicorn.http.errors import LimitRequestHeaders, LimitRequestLine, ParseException
from gunicorn.workers.gthread import ThreadWorker

from brookfall.api.problems import PROBLEM_TYPE, Problem
from brookfall.core.check.program import read_whole_program
from brookfall.core.foundation.environment import environment

LONGEST_ADDRESS = 8190
"""Bytes of a request's first line; the most that gunicorn allows."""


class WebWorker(ThreadWorker):
    """Gunicorn's threaded worker, whose own refusals of a request are in the form of all others."""

    def init_process(self) -> None:
        self.cfg.set("limit_request_line", LONGEST_ADDRESS)
        threading.Thread(target=_read_program, daemon=True).start()
        super().init_process()

    def handle_error(self, req: Any, client: socket.socket, addr: Any, exc: BaseException) -> None:
        if not isinstance(exc, ParseException):
            super().handle_error(req, client, addr, exc)
            return
        self.log.warning("no request that can be read: %s", type(exc).__name__)
        told = refusal(exc)
        body = json.dumps(told.model_dump()).encode()
        head = (
            f"HTTP/1.1 {told.status} {told.title}\r\nConnection: close\r\nContent-Type: {PROBLEM_TYPE}\r\n"
            f"Content-Length: {len(body)}\r\n\r\n"
        )
        try:
            util.write_nonblock(client, head.encode("latin-1") + body)
        except OSError:
            self.log.debug("who asked was gone before the refusal")


def _read_program() -> None:
    """Reads beside the first requests what the first proposal of a decision would wait for: digests of the program."""
    environment()
    read_whole_program()


def refusal(error: ParseException) -> Problem:
    """What is said of a request that can't be read as HTTP, or is longer than is read."""
    if isinstance(error, LimitRequestLine):
        detail = f"The address that was asked for is longer than {LONGEST_ADDRESS} bytes."
        return Problem(title="Address too long", status=414, detail=detail, todo="Ask with fewer or shorter values.")
    if isinstance(error, LimitRequestHeaders):
        return Problem(
            title="Headers too large",
            status=431,
            detail="The headers of the request are larger than is read.",
            todo="Clear this site's cookies and load the page again.",
        )
    return Problem(title="Not a request", status=400, detail="What was sent can't be read as an HTTP request.")
