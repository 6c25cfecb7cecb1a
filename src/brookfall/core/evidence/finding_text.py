"""A finding's text kept for more than one case: fields in braces stand for what differs."""

import string
from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict, Field, field_validator

FIELDS = {
    "model": "the model's name",
    "version": "its version",
    "tier": "its tier",
    "owner": "who owns it",
    "exhibit": "the number of the exhibit that it is written from",
    "check": "what that exhibit is called",
    "answer": "the exhibit's answer",
}
"""Fields that a case fills by itself. Any other is left to whoever writes the finding."""


class FindingWords(BaseModel):
    """What a finding says, with fields."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    severity: int = Field(ge=1, le=4)
    title: str = Field(min_length=1, max_length=200)
    what: str = Field(min_length=1, max_length=12_000)
    why: str = Field(default="", max_length=12_000)
    action: str = Field(default="", max_length=12_000)

    @field_validator("title", "what", "why", "action")
    @classmethod
    def _fields_can_be_told(cls, text: str) -> str:
        fields_in(text)
        return text


def fields_in(text: str) -> tuple[str, ...]:
    """The fields of a text, each once, in their order.

    Parameters
    ----------
    text
        With fields in braces; a brace itself is written twice.

    Returns
    -------
    tuple of str
        Their names.

    Raises
    ------
    ValueError
        A brace is not closed, or a field is not one word.

    Examples
    --------
    >>> fields_in("{model} is off in {district}; {model} again, and a brace: {{")
    ('model', 'district')
    """
    try:
        parts = list(string.Formatter().parse(text))
    except ValueError as problem:
        raise ValueError(
            "a field is one word in braces, {model}; a brace itself is written twice, {{ or }}"
        ) from problem
    found: dict[str, None] = {}
    for _, field, spec, conversion in parts:
        if field is None:
            continue
        if not field.isidentifier() or spec or conversion:
            raise ValueError(f"'{{{field}}}' is no field: it is one word of letters, digits and underscores")
        found[field] = None
    return tuple(found)


def filled(text: str, values: Mapping[str, str]) -> str:
    """The text with the fields that are known; the others stay, for whoever writes to fill in.

    Parameters
    ----------
    text
        With fields in braces.
    values
        By field what stands in its place.

    Returns
    -------
    str
        Braces that were written twice are written once.

    Examples
    --------
    >>> filled("{model} is off in {district}", {"model": "Home visits"})
    'Home visits is off in {district}'
    """
    told = {field: values.get(field, f"{{{field}}}") for field in fields_in(text)}
    return string.Formatter().vformat(text, (), told)
