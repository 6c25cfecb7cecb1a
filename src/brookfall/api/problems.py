"""Errors as RFC 9457 problem details, wherever they arise."""

import logging

from flask import Flask, Response, jsonify
from flask_wtf.csrf import CSRFError
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from brookfall.core.foundation.errors import ForbiddenError, MissingError, StaleError, UserError

PROBLEM_TYPE = "application/problem+json"

_log = logging.getLogger(__name__)
_STATUS = {StaleError: 409, ForbiddenError: 403, MissingError: 404}


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
    first = error.errors()[0]
    place = ".".join(str(step) for step in first["loc"])
    message = first["msg"].removeprefix("Value error, ")
    return problem(422, "What was sent can't be used", f"{message}.", place, "Mend it and send it again.")


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

    @app.errorhandler(OperationalError)
    def _busy(error: OperationalError) -> Response:
        _log.warning("the database refused: %s", error)
        return problem(
            503, "Busy", "The database was busy with somebody else's change.", todo="Nothing was saved; try again."
        )

    @app.errorhandler(Exception)
    def _fault(error: Exception) -> Response:
        _log.exception("a fault", exc_info=error)
        return problem(
            500,
            "A fault in Brookfall",
            "The request could not be carried out; it was logged.",
            todo="Nothing was saved.",
        )
