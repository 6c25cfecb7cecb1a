"""What would have to differ for the other decision: it changes it, nothing smaller of its kind does, and it is possible."""

import numpy as np
import pytest

from brookfall.core.foundation.errors import UserError
from brookfall.core.new_rows.columns import scored_columns
from brookfall.core.new_rows.other_decision import MOST_ROWS, other_decisions
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.table import Table
from tests.conftest import rows_csv
from tests.core.test_new_rows import NEW, all_told, lines_of, scored, subject, written_again

ROWS = np.arange(40)


def known() -> Table:
    rng = np.random.default_rng(3)
    cells = {
        "people": [str(place % 6) for place in range(40)],
        "income": [f"{value:.3f}" for value in rng.normal(20, 5, 40)],
        "heating": [["gas", "wood", "oil"][place % 3] for place in range(40)],
    }
    return Table(tuple(column_from_text(name, held) for name, held in cells.items()))


def said(decide: object, row: list[float], *free: str) -> str:
    found = other_decisions(decide, np.array([row]), known(), ROWS, free or ("people", "income", "heating"))  # type: ignore[arg-type]
    return found[0]


def test_whole_numbers_change_by_whole_ones_and_as_little_as_can_be() -> None:
    assert said(lambda rows: (rows[:, 0] > 2.5).astype(int), [1.0, 20.0, 0.0]) == "people 1→3"
    assert said(lambda rows: (rows[:, 0] > 2.5).astype(int), [5.0, 20.0, 0.0]) == "people 5→2"


def test_a_number_comes_as_near_as_the_decision_allows() -> None:
    text = said(lambda rows: (rows[:, 1] >= 21.3).astype(int), [1.0, 20.0, 0.0])
    name, change = text.split(" ")
    before, after = change.split("→")
    assert (name, before) == ("income", "20")
    assert 21.3 <= float(after) < 21.32


def test_the_nearer_of_two_is_named() -> None:
    # Income is 5 away, one standard deviation; people 4, more than two.
    text = said(lambda rows: ((rows[:, 1] >= 25) | (rows[:, 0] >= 5)).astype(int), [1.0, 20.0, 0.0])
    assert text.startswith("income 20→25")


def test_levels_change_to_those_that_rows_have() -> None:
    levels = known().column("heating").levels
    wood = levels.index("wood")
    assert (
        said(lambda rows: (rows[:, 2] == wood).astype(int), [1.0, 20.0, 0.0], "heating") == f"heating {levels[0]}→wood"
    )


def test_two_change_together_where_one_does_not_do() -> None:
    both = said(lambda rows: ((rows[:, 0] >= 4) & (rows[:, 1] >= 22)).astype(int), [1.0, 20.0, 0.0])
    first, second = both.split("|")
    assert first == "people 1→4"
    assert second.startswith("income 20→22")


def test_where_nothing_changes_it_nothing_is_said() -> None:
    assert said(lambda rows: np.zeros(len(rows), dtype=int), [1.0, 20.0, 0.0]) == ""
    assert said(lambda rows: np.full(len(rows), -1), [1.0, 20.0, 0.0]) == ""
    assert said(lambda rows: (rows[:, 1] >= 21).astype(int), [1.0, 20.0, 0.0], "people") == "", "income can't change"


@pytest.mark.parametrize("model", ["recipe", "tree", "nearest_neighbours"])
def test_of_scored_rows_what_is_named_is_decided_otherwise(model: str) -> None:
    of = subject(changeable=["x", "kind"])
    rows = [row for row in lines_of(NEW) if row["x"]][:12]
    found = scored(of, written_again(rows), model)
    table = scored_columns(found)
    texts = table.column(f"{model}.other_decision").texts()
    decided = table.column(f"{model}.decision").texts()
    assert any(texts)
    changed = []
    for row, text in zip(rows, texts, strict=True):
        again = dict(row)
        for one in (text or "").split("|") if text else []:
            name, change = one.split(" ", 1)
            assert name in ("x", "kind")
            again[name] = change.split("→")[1]
        changed.append(again)
    after = scored_columns(scored(of, written_again(changed), model)).column(f"{model}.decision").texts()
    for text, before, now in zip(texts, decided, after, strict=True):
        assert (before != now) == bool(text)
    assert "sought for the first 50 rows at most among x and kind" in all_told(found)


def test_without_what_can_change_there_is_no_such_column_and_beyond_the_first_rows_none() -> None:
    assert "recipe.other_decision" not in scored_columns(scored(subject(), NEW))
    found = scored(subject(changeable=["x"]), rows_csv(MOST_ROWS + 5, seed=9))
    texts = scored_columns(found).column("recipe.other_decision").texts()
    assert texts[MOST_ROWS:] == [None] * 5


def test_what_is_called_changeable_has_to_be_there() -> None:
    with pytest.raises(UserError, match="changeable names a column that the data do not have"):
        subject(changeable=["height"])
