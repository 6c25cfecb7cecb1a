"""A choice between alternatives: its occasions, what is refused, and the exhibit."""

import re
from typing import Any

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure import choice
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Picked, Sampling, picked_from
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.family.choice import ConditionalLogit, Occasions
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from brookfall.demo.packages import visit_slot
from tests.conftest import declaration, files_of

UNWEIGHTED: Sampling = {"key": "t", "weights": None, "clusters": None}
SLOTS = ("am", "pm", "eve")
ROLES = {"target": "took", "occasion": "who", "alternative": "slot", "available": "there"}


def csv(occasions: int = 120, seed: int = 3) -> str:
    """Three slots an occasion, one of them not always to be had; a long wait puts off."""
    rng = np.random.default_rng(seed)
    lines = ["who,slot,there,wait,zone,took"]
    for i in range(occasions):
        there = np.array([True, True, rng.random() < 0.6])
        wait = rng.integers(1, 15, 3)
        utility = np.where(there, -0.3 * wait + rng.gumbel(size=3), -np.inf)
        for k, slot in enumerate(("am", "pm", "eve")):
            took = int(k == utility.argmax())
            lines.append(f"o{i},{slot},{int(there[k])},{wait[k]},{'n' if i % 2 else 's'},{took}")
    return "\n".join(lines) + "\n"


def files(text: str | None = None, **changes: Any) -> dict[str, bytes]:
    model = {**declaration()["model"], "outcome": "choice"}
    data = [{"name": "rows", "path": "data/rows.csv", "roles": {**ROLES, "ignore": ["zone"]}}]
    whole = {
        "model": model,
        "data": data,
        "recipe": {"family": "conditional_logit"},
        "claims": [],
        "expectations": [{"feature": "wait", "sign": "negative"}],
    }
    return files_of(text or csv(), **{**whole, **changes})


def subject(text: str | None = None, **changes: Any) -> Subject:
    return subject_of(package_from_files(files(text, **changes)))


def exhibit(of: Subject, **changes: Any) -> Exhibit:
    plan = standard_plan(3, outcome="choice", given_parts=False, grouped=True)
    made = Plan.model_validate({**plan.model_dump(), "checks": ("choice",), **changes})
    return retest(Bench(of, made))[0]


def value(of: Exhibit, measure: str, part: str | None = None, model: str = "recipe") -> float:
    found = [e.value for e in of.estimates if (e.measure, e.model) == (measure, model) and part in (None, e.part)]
    assert found[0] is not None
    return found[0]


def test_rows_that_could_not_be_had_take_no_part() -> None:
    of = subject()
    assert of.choices is not None
    assert len(of.rows) == of.choices.available.sum() < of.table.n_rows
    assert of.features == ("wait",)
    assert of.target.hits.sum() == 120


def test_an_occasion_with_a_gap_is_left_out_whole() -> None:
    text = csv().replace(csv().splitlines()[1], re.sub(r",(\d+),s,", ",,s,", csv().splitlines()[1]), 1)
    of = subject(text, recipe={"family": "conditional_logit", "preprocess": {"missing": "drop"}})
    assert of.choices is not None
    assert 0 not in of.choices.occasion[of.rows]
    assert len(np.unique(of.choices.occasion[of.rows])) == 119


@pytest.mark.parametrize(
    ("change", "words", "row"),
    [
        (lambda lines: [*lines, "o0,am,1,3,s,0"], "stands twice", 362),
        (lambda lines: [lines[0], lines[1][:-1] + "1", lines[2][:-1] + "1", *lines[3:]], "not exactly one", 2),
        (lambda lines: [lines[0], lines[1][:-1] + "0", lines[2][:-1] + "0", *lines[3:]], "not exactly one", 2),
        (lambda lines: [*lines, "alone,am,1,3,s,1"], "fewer than two", 362),
        (lambda lines: [*lines, "late,am,0,3,s,1", "late,pm,1,2,s,0"], "could not be had", 362),
        (lambda lines: [*lines, "late,am,maybe,3,s,1", "late,pm,1,2,s,0"], "neither yes nor no", 362),
        (lambda lines: [*lines, ",am,1,3,s,1"], "missing in 1 rows", 362),
    ],
)
def test_what_is_no_choice_is_refused_with_its_row(change: Any, words: str, row: int) -> None:
    text = csv()
    if "not exactly one" in words:
        # In the first occasion one of the first two was taken.
        text = csv(seed=next(s for s in range(50) if "1" in {line[-1] for line in csv(seed=s).splitlines()[1:3]}))
    with pytest.raises(UserError, match=words) as problem:
        package_from_files(files("\n".join(change(text.splitlines())) + "\n"))
    assert problem.value.row == row


@pytest.mark.parametrize("role", ["occasion", "alternative"])
def test_a_choice_needs_its_roles(role: str) -> None:
    roles = {key: name for key, name in ROLES.items() if key != role}
    with pytest.raises(UserError, match=f"role {role}"):
        package_from_files(files(data=[{"name": "rows", "path": "data/rows.csv", "roles": roles}]))


def test_groups_hold_whole_occasions() -> None:
    text = "\n".join(line.replace(",s,", ",x,", 1) if i == 1 else line for i, line in enumerate(csv().splitlines()))
    with pytest.raises(UserError, match="two groups"):
        package_from_files(
            files(text + "\n", data=[{"name": "r", "path": "data/rows.csv", "roles": {**ROLES, "group": "zone"}}])
        )


def test_families_and_scores_of_other_outcomes_are_refused() -> None:
    with pytest.raises(UserError, match="can't be fitted to a choice outcome"):
        package_from_files(files(recipe={"family": "logistic"}))
    with pytest.raises(UserError, match="outside 0 to 1"):
        package_from_files(files(predictions=[{"path": "data/rows.csv", "score": "wait"}]))
    with pytest.raises(UserError, match="a choice outcome does not have"):
        package_from_files(files(claims=[{"measure": "auc", "part": "test", "value": "0.5"}]))


def test_parts_hold_whole_occasions() -> None:
    of = subject()
    bench = Bench(of, standard_plan(3, outcome="choice", given_parts=False, grouped=True))
    assert of.choices is not None
    training, test = (set(of.choices.occasion[bench.split.parts[part]].tolist()) for part in ("training", "test"))
    assert not training & test
    assert len(training | test) == 120


def test_the_demo_is_sound() -> None:
    found = exhibit(subject_of(package_from_files(visit_slot())))
    assert found.standing is Standing.WITHIN
    assert found.answer.startswith("All 3 expected signs hold.")
    ratio = next(e for e in found.estimates if e.measure == "coefficient_ratio" and e.feature == "window_hours")
    # Planted: an hour of waiting at home weighs −0.42, a day until the visit −0.16.
    assert ratio.low is not None
    assert ratio.high is not None
    assert ratio.low < 0.42 / 0.16 < ratio.high
    assert value(found, "hit_rate", "test") > value(found, "hit_rate", "test", "baseline") + 0.2


def test_a_sign_contrary_to_what_is_expected_is_outside() -> None:
    found = exhibit(subject(expectations=[{"feature": "wait", "sign": "positive"}]))
    assert found.standing is Standing.OUTSIDE
    assert found.answer.startswith("The sign of 'wait' is the opposite of what was expected.")
    none = exhibit(subject(expectations=[]))
    assert none.standing is None
    assert none.answer.startswith("No sign was expected of the 3 coefficients.")


def test_the_plan_names_what_coefficients_are_worth_in() -> None:
    of = subject(
        csv(),
        data=[{"name": "rows", "path": "data/rows.csv", "roles": {**ROLES, "ignore": ["zone"]}}],
    )
    refused = exhibit(of, ratio_to="zone")
    assert refused.state == "not_applicable"
    assert "weighs the coefficients in zone" in refused.answer


def test_rows_of_an_occasion_stay_together_whatever_the_plan_says() -> None:
    of = subject()
    assert of.choices is not None
    plan = standard_plan(3, outcome="choice", given_parts=False, grouped=False)
    split = Bench(of, plan).split
    for train, test in [(split.parts["training"], split.parts["test"]), *((f.train, f.test) for f in split.folds)]:
        assert not np.isin(of.choices.occasion[test], of.choices.occasion[train]).any()


def test_parts_that_share_an_occasion_are_refused() -> None:
    parted = "\n".join(
        f"{line},{('part', 'training', 'test')[0 if not i else 1 + (i > 181)]}"
        for i, line in enumerate(csv().splitlines())
    )
    roles = {**ROLES, "ignore": ["zone"], "part": "part"}
    of = subject(parted + "\n", data=[{"name": "rows", "path": "data/rows.csv", "roles": roles}])
    plan = standard_plan(3, outcome="choice", given_parts=True, grouped=True)
    with pytest.raises(UserError, match="share occasions"):
        retest(Bench(of, plan))


def test_checks_of_other_outcomes_are_not_run_on_a_choice() -> None:
    plan = standard_plan(3, outcome="choice", given_parts=False, grouped=True)
    found = retest(Bench(subject(), Plan.model_validate({**plan.model_dump(), "checks": ("threshold", "choice")})))
    assert [one.state for one in found] == ["not_applicable", "done"]
    assert "no such check for a choice outcome" in found[0].answer


def test_the_data_checks_speak_of_occasions() -> None:
    plan = standard_plan(3, outcome="choice", given_parts=False, grouped=True)
    found = {one.check: one for one in retest(Bench(subject(), plan))}
    assert {name for name, one in found.items() if one.state != "done"} == {"claims", "groups", "combinations"}
    assert "120 occasions with" in found["profile"].answer
    assert "Training and unseen rows share none." in found["repeats"].answer


def test_same_seed_same_bits_in_any_number_of_processes() -> None:
    bench = Bench(subject(), standard_plan(3, outcome="choice", given_parts=False, grouped=True))
    once, again = retest(bench), retest(bench, workers=2)
    assert [one.estimates for one in once] == [one.estimates for one in again]


def test_a_column_that_is_the_same_within_every_occasion_can_not_be_told() -> None:
    found = exhibit(subject(data=[{"name": "rows", "path": "data/rows.csv", "roles": ROLES}]))
    assert found.state == "failed"
    assert "does not differ among the alternatives" in found.answer


def test_choices_that_a_column_tells_apart_have_no_end() -> None:
    design = np.array([[1.0], [0.0]] * 20)
    with pytest.raises(ValueError, match="no end"):
        ConditionalLogit(constants=False).fit(
            design, np.array([True, False] * 20), Occasions(np.repeat(np.arange(20), 2), np.tile([0, 1], 20), 2)
        )


def test_an_alternative_without_a_training_row_has_no_probability_and_the_first_seen_is_the_base() -> None:
    rng = np.random.default_rng(2)
    m = 400
    design = rng.normal(size=(m, 3, 1))
    utility = design[..., 0] + np.array([0.0, 0.3, -0.4]) + rng.gumbel(size=(m, 3))
    # The first alternative stands in no training row.
    two = utility[:, 1:]
    chosen = (two.argmax(axis=1)[:, None] == np.arange(2)).ravel()
    side = Occasions(np.repeat(np.arange(m), 2), np.tile([1, 2], m), 3)
    fitted = ConditionalLogit(constants=True).fit(design[:, 1:].reshape(-1, 1), chosen, side)
    assert np.isnan(fitted.estimates).tolist() == [False, True, False]
    seen = fitted.predict(design[:, 1:].reshape(-1, 1), side)
    assert seen.reshape(m, 2).sum(axis=1) == pytest.approx(np.ones(m))
    by_hand = np.exp(design[:, 1:, 0] * fitted.estimates[0] + np.array([0.0, fitted.estimates[2]]))
    assert seen == pytest.approx((by_hand / by_hand.sum(axis=1, keepdims=True)).ravel())
    whole = Occasions(np.repeat(np.arange(m), 3), np.tile([0, 1, 2], m), 3)
    assert np.isnan(fitted.predict(design.reshape(-1, 1), whole)).all()


def picked(m: int = 300, seed: int = 1) -> Picked:
    rng = np.random.default_rng(seed)
    shares = rng.dirichlet([2.0, 1.0, 1.0], m)
    taken = np.array([rng.choice(3, p=row) for row in shares])
    chosen = (taken[:, None] == [0, 1, 2]).ravel()
    return picked_from(UNWEIGHTED, np.repeat(np.arange(m), 3), np.tile([0, 1, 2], m), SLOTS, chosen, shares.ravel())


def pair(first: float) -> Picked:
    """One occasion with two alternatives, of which the first was chosen."""
    chosen = np.array([True, False])
    shares = np.array([first, 1 - first])
    return picked_from(UNWEIGHTED, np.array([0, 0]), np.array([0, 1]), ("am", "pm"), chosen, shares)


def test_measures_by_hand() -> None:
    rows = picked()
    chosen = rows.offered[np.arange(300), rows.picked]
    assert measure("log_likelihood", rows).value == pytest.approx(np.log(chosen).sum())
    assert measure("rho_squared", rows).value == pytest.approx(1 - np.log(chosen).sum() / (300 * np.log(1 / 3)))
    assert measure("mean_chosen_probability", rows).value == pytest.approx(chosen.mean())
    assert measure("hit_rate", rows).value == (rows.offered.argmax(axis=1) == rows.picked).mean()
    assert choice.share_difference(rows, 0).value == pytest.approx(
        rows.offered[:, 0].mean() - (rows.picked == 0).mean()
    )
    with pytest.raises(KeyError):
        measure("auc", rows)


def test_simulated_choices_fall_where_it_is_said() -> None:
    rows = picked(200)
    rng = np.random.default_rng(7)
    cumulated = rows.offered.cumsum(axis=1)
    drawn = (rng.random((4000, 200, 1)) > cumulated[None]).sum(axis=2)
    shares = (drawn == 1).mean(axis=1)
    low, high = choice.predicted_share(rows, 1).interval(0.95)  # type: ignore[misc]
    assert ((shares >= low) & (shares <= high)).mean() == pytest.approx(0.95, abs=0.015)


def test_a_chosen_alternative_without_a_chance_has_no_likelihood() -> None:
    rows = pair(0.0)
    assert measure("log_likelihood", rows).value is None
    assert measure("rho_squared", rows).value is None
    assert measure("hit_rate", rows).value == 0


def test_ties_count_in_part() -> None:
    assert measure("hit_rate", pair(0.5)).value == 0.5
