"""Answers are short, well formed, and as docs/answers.md shows them."""

import re

import pytest

from brookfall.core.check.registry import checks
from brookfall.core.foundation.wording import MOST_OF_ANSWER, MOST_OF_LINE
from tests.core.answers.situations import SITUATIONS, Situation
from tests.core.answers.table import PAGE, is_alike, kept_rows, row_of
from tests.core.test_answers import assert_well_said

_END = re.compile(r"[.?!](?= [A-Z0-9'']|$)")
_NO_NEWS = ("may or may not", "to the last", "leaves out no difference", "changes places", "a difference of −")


@pytest.mark.parametrize("situation", SITUATIONS, ids=[one.words for one in SITUATIONS])
def test_every_answer_is_the_one_of_the_page(situation: Situation) -> None:
    exhibits = situation.exhibits()
    kept = kept_rows(situation.words)
    assert len(kept) == len({row_of(situation.words, one) for one in exhibits})
    for one in exhibits:
        row = row_of(situation.words, one)
        assert any(is_alike(row, other) for other in kept), f"{row}\nis not in docs/answers.md"
        if one.state == "not_applicable":
            continue
        assert len(one.answer) <= MOST_OF_ANSWER, (len(one.answer), one.answer)
        assert len(_END.findall(one.answer)) <= 2, one.answer
        for text in (one.answer, *one.lines):
            assert_well_said(text)
            assert not any(words in text for words in _NO_NEWS), text
        for line in one.lines:
            assert len(line) <= MOST_OF_LINE, (len(line), line)


def test_the_page_shows_every_check() -> None:
    text = PAGE.read_text()
    assert [check.title for check in checks().values() if f"### {check.title}\n" not in text] == []


def test_numbers_may_differ_by_rounding_and_words_not_at_all() -> None:
    assert is_alike("| a | within | AUC 0.812 on 1 200 rows |", "| a | within | AUC 0.813 on 1 200 rows |")
    assert not is_alike("| a | within | AUC 0.812 |", "| a | outside | AUC 0.812 |")
    assert not is_alike("| a | within | AUC 0.812 |", "| a | within | AUC 0.852 |")
    assert not is_alike("| a | within | 3 of 7 |", "| a | within | 3 of 70 |")
