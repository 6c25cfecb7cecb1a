"""What is wrong with a value that somebody sent, in their words and not in those of the library that found it."""

from collections.abc import Callable, Mapping
from typing import Any

from pydantic import ValidationError

_WORDS: dict[str, str] = {
    "missing": "this must be given",
    "extra_forbidden": "there is no such entry",
    "string_type": "this must be text",
    "int_type": "this must be a whole number",
    "int_parsing": "this must be a whole number",
    "int_from_float": "this must be a whole number",
    "float_type": "this must be a number",
    "float_parsing": "this must be a number",
    "finite_number": "this must be a finite number",
    "bool_type": "this must be true or false",
    "bool_parsing": "this must be true or false",
    "tuple_type": "this must be a list",
    "list_type": "this must be a list",
    "set_type": "this must be a list",
    "dict_type": "this must be entries with names",
    "model_type": "this must be entries with names",
    "model_attributes_type": "this must be entries with names",
    "mapping_type": "this must be entries with names",
    "date_parsing": "this must be a date, as 2027-01-31",
    "date_from_datetime_parsing": "this must be a date, as 2027-01-31",
}
_WITH_BOUNDS: dict[str, Callable[[Mapping[str, Any]], str]] = {
    "literal_error": lambda ctx: f"this must be {ctx['expected']}",
    "greater_than": lambda ctx: f"this must be greater than {ctx['gt']}",
    "greater_than_equal": lambda ctx: f"this must be at least {ctx['ge']}",
    "less_than": lambda ctx: f"this must be less than {ctx['lt']}",
    "less_than_equal": lambda ctx: f"this must be at most {ctx['le']}",
    "too_long": lambda ctx: f"at most {ctx['max_length']} are read, and there are {ctx['actual_length']}",
    "too_short": lambda ctx: f"at least {ctx['min_length']} must be given",
    "string_too_long": lambda ctx: f"this may have {ctx['max_length']} characters",
    "string_too_short": lambda ctx: f"this must have at least {ctx['min_length']} characters",
}


def first_problem(error: ValidationError) -> tuple[str, str]:
    """The first entry that is wrong, by its path with dots (empty: the whole), and what is wrong with it.

    >>> from pydantic import BaseModel
    >>> class Roles(BaseModel):
    ...     target: str
    >>> try:
    ...     Roles.model_validate({"target": 3})
    ... except ValidationError as problem:
    ...     print(first_problem(problem))
    ('target', 'this must be text')
    """
    first = error.errors()[0]
    kind, ctx = first["type"], first.get("ctx", {})
    words = _WITH_BOUNDS[kind](ctx) if kind in _WITH_BOUNDS else _WORDS.get(kind)
    place = ".".join(str(step) for step in first["loc"])
    return place, words or first["msg"].removeprefix("Value error, ")
