"""A small made-up case for the examples in docstrings: 90 rows, one feature, a logistic recipe."""

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table


def small_bench() -> Bench:
    """The case on a bench, under the standard plan of tier 3.

    >>> small_bench().subject.features
    ('x',)
    """
    cells = {"x": [str(i % 7) for i in range(90)], "y": ["yes" if i % 3 else "no" for i in range(90)]}
    table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    subject = Subject(table, Roles(target="y"), Recipe(family="logistic"), (), "rows.csv")
    return Bench(subject, standard_plan(3, given_parts=False))
