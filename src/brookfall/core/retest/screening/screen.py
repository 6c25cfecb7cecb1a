"""Everything that is looked at before a plan is written."""

from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict

from brookfall.core.judge.grounds import ground_of
from brookfall.core.retest.screening.columns import ColumnLook, column_looks
from brookfall.core.retest.screening.issue import Issue
from brookfall.core.retest.screening.issues import Sample, issues_of
from brookfall.core.submission.subject import Subject
from brookfall.core.table.table import Table


class Look(BaseModel):
    """``not_collected`` are grounds of the policy that no column names."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    columns: tuple[ColumnLook, ...]
    issues: tuple[Issue, ...]
    not_collected: tuple[str, ...]


def look_at(subject: Subject, grounds: tuple[str, ...], samples: Mapping[str, Sample] | None = None) -> Look:
    """Looks at the subject under a policy's grounds, and at samples that could be joined to it. No fit is made."""
    return Look(
        columns=column_looks(subject),
        issues=issues_of(subject, grounds, samples),
        not_collected=not_collected(subject.table, grounds),
    )


def not_collected(table: Table, grounds: tuple[str, ...]) -> tuple[str, ...]:
    """The grounds that no column's name names.

    >>> from brookfall.core.table.infer import column_from_text
    >>> not_collected(Table((column_from_text("gender", ["f"]),)), ("age", "sex"))
    ('age',)
    """
    named = {ground_of(name, grounds) for name in table.names}
    return tuple(ground for ground in grounds if ground not in named)
