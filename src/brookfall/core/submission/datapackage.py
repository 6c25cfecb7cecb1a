"""What a ``datapackage.json`` beside the data says of them (Frictionless Data Package and Table Schema)."""

import json
from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.validation import first_problem
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Kind

DATAPACKAGE = "datapackage.json"

_KINDS: dict[str, Kind] = {
    "number": "number",
    "integer": "number",
    "boolean": "yes_no",
    "date": "date",
    "datetime": "date",
}
_ENCODINGS = {"utf-8": "utf-8", "utf8": "utf-8", "utf-16": "utf-16", "cp1252": "cp1252", "windows-1252": "cp1252"}


class _Part(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)


class _Field(_Part):
    name: str
    type: str = "any"
    title: str | None = None
    description: str | None = None


class _Schema(_Part):
    fields: tuple[_Field, ...] = ()
    missing_values: tuple[str, ...] | None = Field(default=None, alias="missingValues")


class _Dialect(_Part):
    delimiter: str | None = None
    header: bool | None = None


class _Resource(_Part):
    path: str | list[str] = ""
    encoding: str | None = None
    dialect: _Dialect = _Dialect()
    table: _Schema = Field(default=_Schema(), alias="schema")


class _Descriptor(_Part):
    resources: tuple[_Resource, ...] = ()


class Described(BaseModel):
    """What is said of one file: how it is read, and what its columns mean."""

    model_config = ConfigDict(frozen=True)

    how: HowRead = HowRead()
    columns: dict[str, str] = Field(default_factory=dict)


def described(files: Mapping[str, bytes], path: str) -> Described:
    """What the package's ``datapackage.json`` says of a file; nothing where there is none or it does not name it.

    A field of kind string is read as it is found; its kind is not forced. UserError for a descriptor that can't be
    read.

    >>> field = {"name": "size", "type": "number", "description": "in m²"}
    >>> text = json.dumps({"resources": [{"path": "d.csv", "schema": {"fields": [field]}}]}).encode()
    >>> described({DATAPACKAGE: text}, "d.csv").columns
    {'size': 'in m²'}
    """
    if DATAPACKAGE not in files:
        return Described()
    try:
        found = _Descriptor.model_validate(json.loads(files[DATAPACKAGE]))
    except (ValueError, RecursionError) as problem:
        place, message = first_problem(problem) if isinstance(problem, ValidationError) else ("", "this is no JSON")
        raise UserError(
            f"The descriptor can't be read ({place}{': ' if place else ''}{message}).",
            todo="Mend it, or leave it out: it is optional.",
            file=DATAPACKAGE,
        ) from problem
    resource = next((one for one in found.resources if one.path in (path, [path])), None)
    if resource is None:
        return Described()
    said: dict[str, Any] = {
        "separator": resource.dialect.delimiter,
        "header": resource.dialect.header,
        "encoding": _ENCODINGS.get((resource.encoding or "").lower()),
        "missing": resource.table.missing_values,
        "types": {field.name: _KINDS[field.type] for field in resource.table.fields if field.type in _KINDS},
    }
    try:
        how = HowRead.model_validate(said)
    except ValidationError as problem:
        raise UserError(
            f"The descriptor of {path} can't be followed: {first_problem(problem)[1]}.",
            todo="Separators are comma, semicolon, tab and bar.",
            file=DATAPACKAGE,
        ) from problem
    words = {field.name: field.description or field.title or "" for field in resource.table.fields}
    return Described(how=how, columns={name: text for name, text in words.items() if text})
