"""Errors as RFC 9457 problem details, wherever they arise."""

import logging

from flask import Flask, Response, jsonify, request
from flask_wtf.csrf import CSRFError
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from brookfall.api.request_log import request_id
from brookfall.core.foundation.errors import ForbiddenError, MissingError, StaleError, UserError, WrongPasswordError
from brookfall.core.foundation.validation import first_problem
from brookfall.core.foundation.wording import capital
from brookfall.records.database import UnknownOutcomeError, committed
from brookfall.records.disk_cache import is_full

PROBLEM_TYPE = "application/problem+json"

_log = logging.getLogger(__name__)
_BUSY = (1205, 1213)
"""The database's numbers of a lock that was waited for too long, and of two that wait for each other."""
_NO_ROOM = (1021, 1114)
"""Those of a disk and of a table that is full."""
_FULL, _MAKE_ROOM = "No room", "Tell the administrator, who must make room."
_STATUS = {StaleError: 409, ForbiddenError: 403, WrongPasswordError: 403, MissingError: 404}


class Problem(BaseModel):
    """What went wrong, where, and what to do."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    where: str = ""
    todo: str = ""


def problem(status: int, title: str, detail: str, where: str = "", todo: str = "") -> Response:
    body = Problem(title=title, status=status, detail=detail, where=where, todo=todo)
    response = jsonify(body.model_dump())
    response.status_code, response.content_type = status, PROBLEM_TYPE
    return response


def from_validation(error: ValidationError) -> Response:
    """A request whose body or query does not fit its type; named by the first wrong entry."""
    place, message = first_problem(error)
    return problem(422, "What was sent can't be used", f"{capital(message)}.", place, "Mend it and send it again.")


def handle_problems(app: Flask) -> None:
    """Turns every error into problem details; what is no person's fault is logged and told plainly."""

    @app.errorhandler(UserError)
    def _user_error(error: UserError) -> Response:
        return problem(_STATUS.get(type(error), 422), "Not done", error.what, error.where, error.todo)

    @app.errorhandler(ValidationError)
    def _validation(error: ValidationError) -> Response:
        return from_validation(error)

    @app.errorhandler(CSRFError)
    def _csrf(error: CSRFError) -> Response:
        return problem(400, "The page is too old", f"{error.description}.", todo="Load the page again.")

    @app.errorhandler(RequestEntityTooLarge)
    def _too_large(_: RequestEntityTooLarge) -> Response:
        limit = app.config["MAX_CONTENT_LENGTH"] / 1e6
        todo = "Send a large package as a draft, piece by piece, as 'brookfall submit' does."
        return problem(413, "Not done", f"What was sent at once is larger than {limit:.0f} MB.", todo=todo)

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        return problem(error.code or 500, error.name, error.description or "")

    @app.before_request
    def _count_anew() -> None:
        committed.set(0)

    @app.errorhandler(OSError)
    def _disk(error: OSError) -> Response:
        if not is_full(error):
            return _fault(error)
        _log.warning("a disk of this machine is full")
        return problem(503, _FULL, "A disk of the server is full.", todo=f"{_MAKE_ROOM} {_saved()}")

    @app.errorhandler(DBAPIError)
    def _database(error: DBAPIError) -> Response:
        if getattr(error.orig, "errno", None) in _NO_ROOM:
            _log.warning("the database has no room left")
            return problem(503, _FULL, "The disk of the database is full.", todo=f"{_MAKE_ROOM} {_saved()}")
        # The connector gives a lock that was waited for too long no class of its own.
        if getattr(error.orig, "errno", None) in _BUSY:
            title, detail = "Busy", "The database was busy with somebody else's change."
        elif isinstance(error, OperationalError | InterfaceError):
            title, detail = "Not there", "The database did not answer."
        else:
            return _fault(error)
        _log.warning("the database refused: %s", type(error.orig).__name__)
        return problem(503, title, detail, todo=_saved())

    @app.errorhandler(UnknownOutcomeError)
    def _unknown(error: UnknownOutcomeError) -> Response:
        _log.warning("the database was gone while it committed: %s", type(error).__name__)
        return problem(
            503,
            "Not known",
            "The database was gone before it said whether this was saved.",
            todo="Load the page again to see, before you try again.",
        )

    @app.errorhandler(Exception)
    def _fault(error: Exception) -> Response:
        _log.exception("a fault", exc_info=error)
        return problem(
            500,
            "A fault in Brookfall",
            f"The request could not be carried out; it was logged as {request_id()}.",
            todo=_saved(),
        )


def _saved() -> str:
    """What became of the change that a request made, as far as it is known."""
    if request.method in ("GET", "HEAD"):
        return "Try again in a moment."
    if committed.get():
        return "A part of it was saved; load the page again to see."
    return "Nothing was saved; try again in a moment."
