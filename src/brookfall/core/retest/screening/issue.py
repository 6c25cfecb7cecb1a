"""Something wrong with the data, in a sentence, with the rows behind it and what could be done about it."""

from typing import Literal

from pydantic import BaseModel, ConfigDict

from brookfall.core.retest.screening.rows_of_issue import Where
from brookfall.core.table.change import Change

Weight = Literal["serious", "notable", "slight"]


class _Said(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Action(_Said):
    """What can be done: a role for a column, protection for it, a ground to tie it to (empty: none), or a change that
    makes a new version of the table."""

    label: str
    column: str | None = None
    role: Literal["ignore", "identifier", "feature"] | None = None
    protect: bool = False
    ground: str | None = None
    change: Change | None = None


class Issue(_Said):
    """``about`` names the kind of issue; ``rows`` are those behind it, ``count`` how many they are."""

    about: str
    weight: Weight
    sentence: str
    columns: tuple[str, ...] = ()
    rows: Where | None = None
    count: int | None = None
    actions: tuple[Action, ...] = ()
