"""Everything that is looked at before a plan is written."""

from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict

from brookfall.core.judge.grounds import Grounds
from brookfall.core.retest.screening.columns import ColumnLook, column_looks
from brookfall.core.retest.screening.issue import Issue
from brookfall.core.retest.screening.issues import Sample, issues_of
from brookfall.core.submission.subject import Subject


class Look(BaseModel):
    """``not_collected`` are grounds of the policy that no column is of, by its name or as it is tied."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    columns: tuple[ColumnLook, ...]
    issues: tuple[Issue, ...]
    not_collected: tuple[str, ...]


def look_at(subject: Subject, grounds: Grounds, samples: Mapping[str, Sample] | None = None) -> Look:
    """Looks at the subject under a policy's grounds, and at samples that could be joined to it. No fit is made."""
    return Look(
        columns=column_looks(subject),
        issues=issues_of(subject, grounds, samples),
        not_collected=tuple(grounds.missing(subject.table.names, subject.roles.grounds)),
    )
