"""Every kind of candidate behind the one interface: its parts, what it asks for, its scores, and what it refuses."""

import numpy as np
import pytest

from brookfall.core.candidate.candidate import BASELINE, OUT_OF_FOLD, Candidate
from brookfall.core.candidate.challengers import STANDARD, own_challengers, standard_challengers
from brookfall.core.candidate.refitted import Refitted
from brookfall.core.check.bench import Bench
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import gather
from brookfall.core.fit.run import run_fits
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Scored
from brookfall.core.plan.plan import InUse
from brookfall.core.recipe.families import families
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import subject_of
from tests.core import test_outcomes as made
from tests.core.test_supplied import BY_KEY, LOGISTIC, binary_scores, opened, parted
from tests.core.test_unseen import frame, plan, subject

STUMP = {"name": "stump", "recipe": {"family": "tree", "settings": {"leaves": "2"}}}


@pytest.fixture(scope="module")
def bench() -> Bench:
    used = InUse(version="0.9", recipe=Recipe(family="logistic"), features=("zone",))
    return Bench(subject(data=frame(600)), plan("challengers", in_use=used.model_dump(), own_challengers=[STUMP]))


@pytest.fixture(scope="module")
def ledger(bench: Bench) -> MemoryLedger:
    """What all that is refitted here asks for on any part, fitted; but only of a few families."""
    kept = MemoryLedger()
    needs = [need for one in chosen(bench) for part in one.parts for need in one.needs(part)]
    for result in run_fits(gather(needs), bench.subject):
        kept.keep(result)
    return kept


def chosen(bench: Bench) -> list[Candidate]:
    return [bench.candidates[name] for name in ("recipe", BASELINE, "in_use", "stump", "naive_bayes")]


def test_each_has_a_name_words_and_a_colour(bench: Bench) -> None:
    for name, one in bench.candidates.items():
        assert one.name == name
        assert one.words
        assert one.colour
    assert len({one.words for one in bench.candidates.values()}) == len(bench.candidates)
    assert bench.candidates["stump"].words == "stump"


def test_scores_are_of_the_rows_of_their_part_in_order(bench: Bench, ledger: MemoryLedger) -> None:
    for one in chosen(bench):
        for part in one.parts:
            found = one.scored(ledger, part)
            assert found.part == part
            assert (np.diff(found.positions) > 0).all()
            expected = bench.split.cross_validated if part == OUT_OF_FOLD else bench.split.parts[part]
            assert found.positions.tolist() == expected.tolist()
            assert len(found.scored) == len(expected)


def test_scores_belong_to_the_outcomes_of_their_rows(bench: Bench, ledger: MemoryLedger) -> None:
    for one in chosen(bench):
        for part in one.parts:
            found = one.scored(ledger, part)
            outcomes = bench.subject.target.values[found.positions]
            assert found.scored.outcomes.astype(int).tolist() == outcomes.astype(int).tolist()


def test_the_baseline_knows_no_row_from_another(bench: Bench, ledger: MemoryLedger) -> None:
    baseline = bench.candidates[BASELINE]
    assert not baseline.refits
    for part in baseline.parts:
        assert baseline.needs(part) == ()
        scored = baseline.scored(ledger, part).scored
        assert measure("auc", scored).value == 0.5
        assert len(set(scored.scores.tolist())) == 1


def test_what_learns_from_one_column_is_blind_to_the_others(bench: Bench, ledger: MemoryLedger) -> None:
    used = bench.candidates["in_use"]
    assert isinstance(used, Refitted)
    assert used.features == ("zone",)
    zones = bench.subject.table.column("zone").values
    found = used.scored(ledger, "test")
    assert isinstance(found.scored, Scored)
    by_zone: dict[float, set[float]] = {}
    for row, score in zip(found.positions, found.scored.scores, strict=True):
        by_zone.setdefault(float(zones[row]), set()).add(round(float(score), 12))
    assert all(len(scores) == 1 for scores in by_zone.values())


def test_a_challenger_of_one_s_own_is_its_recipe(bench: Bench, ledger: MemoryLedger) -> None:
    stump = bench.candidates["stump"].scored(ledger, "test").scored
    assert len(set(stump.scores.tolist())) == 2
    ((name, recipe),) = [
        (one.name, one.recipe) for one in own_challengers(bench.split, [("mine", Recipe(family="tree"))])
    ]
    assert (name, recipe.family) == ("mine", "tree")


def test_one_fit_serves_every_part_but_out_of_fold(bench: Bench) -> None:
    recipe = bench.candidates["recipe"]
    keys = {need.fit.key for part in bench.split.parts for need in recipe.needs(part)}
    assert len(keys) == 1
    folds = {need.fit.key for need in recipe.needs(OUT_OF_FOLD)}
    assert len(folds) == bench.split.first_repeat
    assert not folds & keys


@pytest.mark.parametrize("name", ["recipe", BASELINE, "in_use", "stump"])
def test_a_part_that_is_not_there_is_refused_with_those_that_are(bench: Bench, name: str) -> None:
    one = bench.candidates[name]
    with pytest.raises(UserError, match=f"no scores of yesterday by this model: {one.words}") as refused:
        one.needs("yesterday")
    assert "out_of_fold or training" in str(refused.value)


def test_supplied_scores_have_the_parts_that_came() -> None:
    package = opened("binary", binary_scores(), BY_KEY, parted(), recipe=LOGISTIC)
    bench = Bench(subject_of(package), made.plan_for("binary", checks=["holdout"], parts={"kind": "given"}))
    scores = bench.candidates["scores"]
    assert scores.parts == ("test",)
    assert not scores.refits
    assert scores.needs("test") == ()
    found = scores.scored(MemoryLedger(), "test")
    assert len(found.scored) == 120
    came = dict(zip(binary_scores()["id"], binary_scores()["p"], strict=True))
    held = [came[f"r{row}"] for row in found.positions]
    assert found.scored.scores.tolist() == held
    with pytest.raises(UserError, match="no scores of out_of_fold"):
        scores.scored(MemoryLedger(), OUT_OF_FOLD)


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_standard_challengers_are_for_the_outcome_and_not_the_recipe_itself(outcome: str) -> None:
    bench = Bench(made.subject(outcome), made.plan_for(outcome, checks=["challengers"]))
    recipe = bench.recipe
    found = list(standard_challengers(bench.split, recipe, 400, "auc", tuned=False))
    assert found
    assert all(outcome in families()[one.name].outcomes for one in found)
    assert all((one.recipe.family, one.recipe.settings) != (recipe.family, recipe.settings) for one in found)
    assert {one.name for one in found} <= {one.family for one in STANDARD}


def test_a_family_that_takes_too_long_on_so_many_rows_is_left_out() -> None:
    bench = Bench(made.subject("binary"), made.plan_for("binary", checks=["challengers"]))
    few, many = (
        {one.name for one in standard_challengers(bench.split, bench.recipe, largest, "auc", tuned=False)}
        for largest in (400, 50_000)
    )
    assert few - many == {"support_vectors"}


def test_tuned_challengers_try_their_settings_inside_the_training_rows() -> None:
    bench = Bench(made.subject("binary"), made.plan_for("binary", checks=["challengers"]))
    tuned = {one.name: one for one in standard_challengers(bench.split, bench.recipe, 400, "auc", tuned=True)}
    plain = {one.name: one for one in standard_challengers(bench.split, bench.recipe, 400, "auc", tuned=False)}
    assert tuned["tree"].tuning is not None
    assert tuned["tree"].tuning.measure == "auc"
    assert plain["tree"].tuning is None
    assert tuned["tree"].holdout.fit.key != plain["tree"].holdout.fit.key
