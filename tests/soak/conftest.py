"""The API as its own tests have it."""

from tests.api.conftest import app, visitor

__all__ = ["app", "visitor"]
