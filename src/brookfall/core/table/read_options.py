"""How a file is read: what was declared, what was found out, what was corrected."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from brookfall.core.table.table import Kind

MISSING = ("NA", "N/A", "n/a", "NaN", "NAN", "nan", "null", "NULL", "None")
"""What counts as missing, beside the empty cell, where nothing else is said."""

_SPELLED = {"comma": ",", "semicolon": ";", "tab": "\t", "\\t": "\t", "bar": "|"}


class HowRead(BaseModel):
    """How a file is read. What is null is found out from the file, and written down once it is read.

    ``missing`` replaces the words that count as missing (an empty cell always does); ``types`` names the kind of
    columns that would be taken for something else.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    separator: Literal[",", ";", "\t", "|"] | None = None
    decimal: Literal[".", ","] | None = None
    encoding: Literal["utf-8", "utf-16", "cp1252"] | None = None
    header: bool | None = Field(default=None, description="whether the first row names the columns")
    sheet: str | None = Field(default=None, description="of a workbook; null: the first that is not empty")
    missing: tuple[str, ...] | None = None
    types: dict[str, Kind] = Field(default_factory=dict)

    @field_validator("separator", mode="before")
    @classmethod
    def _spelled(cls, written: object) -> object:
        return _SPELLED.get(written, written) if isinstance(written, str) else written

    @property
    def words_for_missing(self) -> tuple[str, ...]:
        return ("", *(MISSING if self.missing is None else self.missing))

    def over(self, other: "HowRead") -> "HowRead":
        """This, with what it leaves open taken from another.

        >>> HowRead(decimal=",").over(HowRead(decimal=".", separator=";")).separator
        ';'
        """
        said = {name: value for name, value in self if value is not None and name != "types"}
        return other.model_copy(update={**said, "types": {**other.types, **self.types}})

    @property
    def words(self) -> str:
        """As a sentence's part, such as ``separated by semicolons, decimal comma, Windows-1252``."""
        names = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
        said = []
        if self.sheet is not None:
            said.append(f"sheet '{self.sheet}'")
        if self.separator is not None:
            said.append(f"separated by {names[self.separator]}")
        if self.decimal is not None:
            said.append("decimal comma" if self.decimal == "," else "decimal point")
        if self.encoding is not None:
            said.append({"utf-8": "UTF-8", "utf-16": "UTF-16", "cp1252": "Windows-1252"}[self.encoding])
        if self.header is not None:
            said.append("names in the first row" if self.header else "no row of names")
        return ", ".join(said)
