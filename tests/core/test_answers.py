"""Every exhibit's answer is right in number and grammar for every standing and edge case."""

import re
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.registry import words_of
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from tests.conftest import OF_A_ROLE, files_of, small_plan


def exhibit(subject: Subject, check: str, **changes: Any) -> Exhibit:
    (found,) = retest(Bench(subject, small_plan(checks=[check], **changes)))
    return found


def policy(**limits: Limit) -> dict[str, object]:
    return {**small_plan().policy.model_dump(), **{name: limit.model_dump() for name, limit in limits.items()}}


def assert_well_said(text: str) -> None:
    assert text[0].isupper() or text[0].isdigit() or text[0] == "'", "a quoted name may come first"
    assert text.endswith((".", "?"))
    assert "  " not in text
    assert ".." not in text
    assert not re.search(r"\bNone\b(?! of)", text)
    assert not re.search(r"\bnan\b", text)
    assert not re.search(r"\d-\d*\.\d", text), "a minus sign, not a hyphen"


@pytest.mark.parametrize(
    ("limit", "words", "standing"),
    [
        (Limit(at_most=0.9, ideal=0), ", within the limit of 0.9.", "within"),
        (Limit(at_most=-0.5, ideal=-1), ", beyond the limit of −0.5.", "outside"),
        (Limit(at_most=0.001, ideal=-0.9), ", near the limit of 0.001.", "near"),
        (Limit(at_most=0.02, ideal=0.0), "; too few rows to tell, against the limit of 0.02.", "unsettled"),
    ],
)
def test_the_gap_in_every_standing(subject: Subject, limit: Limit, words: str, standing: str) -> None:
    found = exhibit(subject, "gap", policy=policy(gap=limit))
    assert found.answer.endswith(words)
    assert found.standing == standing
    (judged,) = [one for one in found.estimates if one.limit is not None]
    assert judged.versus is not None
    assert f"{judged.versus.part.replace('_', '-')} rows: a gap of {judged.value:.3f} [" in found.answer


def test_unsettled_says_what_would_settle_it(subject: Subject) -> None:
    found = exhibit(subject, "gap", policy=policy(gap=Limit(at_most=0.02, ideal=0)))
    assert found.standing == "unsettled"
    settles, departs = found.lines[-2:]
    assert re.search(r"^To tell a gap of 0\.02 from none: about [\d\u202f]+ rows\.$", settles)
    assert departs == "Judged by ≤ 0.02, which departs from the policy (≤ 0.05)."


def test_a_forest_is_not_accused_of_what_it_does_by_construction(subject: Subject) -> None:
    recipe = Recipe(family="forest", settings={"trees": 30}, threshold=0.5)
    found = exhibit(replace(subject, recipe=recipe), "gap")
    assert found.standing is None
    assert found.answer.endswith(", shown and not judged.")
    assert "by construction" in found.lines[0]
    assert not [estimate for estimate in found.estimates if estimate.limit is not None]
    plain = next(e for e in found.estimates if (e.measure, e.part) == ("accuracy", "training"))
    fair = next(e for e in found.estimates if (e.measure, e.part) == ("accuracy", "out_of_bag"))
    assert plain.value == pytest.approx(1.0, abs=0.02)
    assert fair.value < plain.value - 0.1


@pytest.mark.parametrize(
    ("claims", "start"),
    [
        ([("0.99", "test")], "The one claim is overstated: AUC, test was claimed as 0.99 and comes out at 0."),
        ([("0.10", "test")], "The one claim is understated: "),
        ([("0.99", "nowhere")], "The one claim can't be checked."),
        ([("0.99", "test"), ("0.98", "test")], "All 2 claims are overstated: farthest off, AUC, test was claimed"),
        ([("0.99", "nowhere"), ("0.98", "nowhere")], "All 2 claims can't be checked."),
        ([("0.99", "test"), ("0.10", "test")], "Of 2 claims 1 overstated and 1 understated: farthest off, AUC"),
    ],
)
def test_claims_in_every_number(claims: list[tuple[str, str]], start: str) -> None:
    declared = [{"measure": "auc", "part": part, "value": value} for value, part in claims]
    found = exhibit(subject_of(package_from_files(files_of(claims=declared))), "claims")
    assert found.answer.startswith(start)


def test_no_claim_at_all() -> None:
    found = exhibit(subject_of(package_from_files(files_of(claims=[]))), "claims")
    assert (found.state, found.answer) == ("not_applicable", "The submission claims no figure.")


def test_a_model_that_knows_nothing_beats_nothing(subject: Subject) -> None:
    recipe = Recipe(family="tree", settings={"rows_per_leaf": 240})
    found = exhibit(replace(subject, recipe=recipe), "baseline")
    assert found.standing != "within"
    assert not found.answer.startswith("It beats")
    assert_well_said(found.answer)


@pytest.mark.parametrize("measure", ["auc", "accuracy", "brier"])
@pytest.mark.parametrize("part", ["out_of_fold", "validation", "test"])
def test_every_main_measure_and_deciding_part(subject: Subject, measure: str, part: str) -> None:
    plan = small_plan(main_measure=measure, deciding_part=part)
    for found in retest(Bench(subject, plan)):
        assert found.state == "done" or found.check in OF_A_ROLE  # which no column has here
        assert_well_said(found.answer)


def test_one_class_in_a_part_is_told(subject: Subject) -> None:
    rows = np.concatenate([np.flatnonzero(~subject.target.hits)[:80], np.flatnonzero(subject.target.hits)[:8]])
    few = replace(subject, table=subject.table.take(np.sort(rows)))
    found = {e.check: e for e in retest(Bench(few, small_plan(cross_validation={"folds": 8, "repeats": 1})))}
    for one in found.values():
        assert_well_said(one.answer)
    marked = [e for e in found["holdout"].estimates if e.note == "too few to judge"]
    assert marked
    assert all(e.standing is None for e in marked)


def test_numbers_in_sentences() -> None:
    assert wording.number(-0.0523) == "−0.052"
    assert wording.number(None) == "–"
    assert wording.count(1234567) == "1\u202f234\u202f567"
    assert wording.rows(1) == "1 row"
    assert wording.percent(0.5) == "50.0\u00a0%"
    assert wording.listed([]) == ""
    assert wording.listed(["a"]) == "a"
    assert wording.listed(["a", "b", "c"]) == "a, b and c"
    assert words_of("auc_gap") == "gap in AUC"
    assert words_of("selection_rate_ratio") == "ratio of selection rate"
    assert words_of("fold_sd_ratio") == "SD over folds, against sampling alone"
    assert wording.figure(absent(3, "only one class")) == "not computed (only one class)"
    assert wording.figure(Figure(0.5, 10, note="a single value")) == "0.500 (no interval: a single value)"
    assert wording.figure(Figure(0.5, 10, "m", lambda level: (-0.1, 1e308 * 10))) == "0.500 [−0.100, ∞]"
