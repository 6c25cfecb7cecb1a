"""What the addresses of the API hang on, and how a view is sent."""

from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from brookfall.api.problems import Problem

P = ParamSpec("P")

QUEUE = "brookfall_queue"
"""Where the application keeps the queue that wakes the workers."""


class DescribedLater(APIBlueprint):
    """A blueprint whose description is made when somebody asks for it: a server that starts does without."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._undescribed: list[tuple[str, Callable[..., Any], dict[str, Any]]] = []

    def describe(self) -> None:
        """Adds to the description what was routed since it was asked for last."""
        for rule, view, told in self._undescribed:
            super()._collect_openapi_info(rule, view, **told)
        self._undescribed.clear()

    def _collect_openapi_info(self, rule: str, func: Callable[..., Any], **told: Any) -> Any:
        self._undescribed.append((rule, func, told))
        return super()._collect_openapi_info(rule, func, **{**told, "doc_ui": False})


def blueprint(name: str) -> DescribedLater:
    """A blueprint of the API, whose every address may answer with problem details."""
    return DescribedLater(
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
