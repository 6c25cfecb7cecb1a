"""What the addresses of the API hang on, and how a view is sent."""

from collections.abc import Callable
from functools import wraps
from typing import ParamSpec

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from brookfall.api.problems import Problem

P = ParamSpec("P")

QUEUE = "brookfall_queue"
"""Where the application keeps the queue that wakes the workers."""


def blueprint(name: str) -> APIBlueprint:
    """A blueprint of the API, whose every address may answer with problem details."""
    return APIBlueprint(
        name,
        __name__,
        url_prefix="/api",
        abp_tags=[Tag(name="brookfall")],
        abp_responses=dict.fromkeys(("400", "401", "403", "404", "409", "422", "429"), Problem),
    )


def shows(call: Callable[P, BaseModel]) -> Callable[P, Response]:
    """A view as JSON. Only finite numbers leave: the models hold no NaN."""

    @wraps(call)
    def send(*args: P.args, **kwargs: P.kwargs) -> Response:
        body = call(*args, **kwargs).model_dump_json(by_alias=True)
        return Response(body, content_type="application/json")

    return send
