"""The target as a column to be set beside a feature."""

import numpy as np

from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column


def target_column(subject: Subject, beside: Column) -> Column:
    """The target as a column to be set beside a feature: a yes/no outcome is 0 and 1 beside a number, so that the
    direction can be told; another is a category, or a number."""
    target, name = subject.target, subject.roles.target
    if target.yes_no and beside.kind == "number":
        return Column(name, "number", target.hits.astype(np.float64))
    column = subject.table.column(name)
    return column if target.outcome == "number" else as_category(column)
