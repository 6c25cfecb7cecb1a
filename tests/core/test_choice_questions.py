"""A choice is asked the questions of every other outcome, by occasion: each figure against a computation by hand."""

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import FitJob
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.choice import simulated
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Picked
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.family.choice import ConditionalLogit, Occasions
from brookfall.core.retest.compare_models import compare_models
from brookfall.core.retest.rows_behind import Behind, rows_behind
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from tests.core.test_choice import ROLES, csv, files, picked, subject

ZONED = [{"name": "rows", "path": "data/rows.csv", "roles": {**ROLES, "protected": ["zone"]}}]
PLAN = standard_plan(2, outcome="choice", given_parts=False, grouped=True)


def bench(of: Subject, *checks: str, **changes: object) -> Bench:
    return Bench(of, Plan.model_validate({**PLAN.model_dump(), "checks": checks, **changes}))


@pytest.fixture(scope="module")
def many() -> Subject:
    """600 occasions, so that something can be told."""
    return subject(csv(600), data=ZONED)


def value(of: Exhibit, quantity: str, **labels: object) -> float:
    found = [
        one.value
        for one in of.estimates
        if one.measure == quantity and all(getattr(one, name) == wanted for name, wanted in labels.items())
    ]
    assert len(found) == 1, (quantity, labels, found)
    assert found[0] is not None
    return found[0]


def chosen_probabilities(of: Subject, train: np.ndarray, test: np.ndarray) -> np.ndarray:
    """The probability of what was chosen, by the likelihood alone: fitted on some rows, of others."""
    choices = of.choices
    assert choices is not None
    side = Occasions(choices.occasion, choices.alternative, len(choices.alternatives))
    wait = of.table.column("wait").values[:, None]
    hits = of.target.hits
    fitted = ConditionalLogit(constants=True).fit(wait[train], hits[train], side.take(train))
    return fitted.predict(wait[test], side.take(test))[hits[test]]


def test_holdout_and_gap_are_means_over_occasions(many: Subject) -> None:
    made = bench(many, "holdout", "gap")
    holdout, gap = retest(made)
    train, test = (made.split.parts[part] for part in ("training", "test"))
    seen, unseen = (chosen_probabilities(many, train, rows).mean() for rows in (train, test))
    assert value(holdout, "mean_chosen_probability", part="test") == pytest.approx(unseen)
    assert value(holdout, "mean_chosen_probability", part="training") == pytest.approx(seen)
    found = next(
        one
        for one in gap.estimates
        if one.measure == "mean_chosen_probability_gap" and one.versus is not None and one.versus.part == "test"
    )
    assert found.value == pytest.approx(seen - unseen)
    assert "occasions" in gap.answer
    assert " rows" not in gap.answer + holdout.answer


def test_folds_hold_whole_occasions_and_average_them(many: Subject) -> None:
    made = bench(many, "cross_validation")
    (found,) = retest(made)
    folds = [chosen_probabilities(many, fold.train, fold.test).mean() for fold in made.split.folds]
    assert value(found, "mean_chosen_probability", part="out_of_fold") == pytest.approx(np.mean(folds))
    assert f"{len(made.subject.units(made.split.cross_validated))} occasions" in found.answer


def test_the_baseline_is_the_observed_shares_and_equal_ones_stand_beside(many: Subject) -> None:
    made = bench(many, "baseline")
    (found,) = retest(made)
    choices = many.choices
    assert choices is not None
    train, test = (made.split.parts[part] for part in ("training", "test"))
    offered = np.bincount(choices.alternative[train])
    share = np.bincount(choices.alternative[train], many.target.hits[train]) / offered
    by_hand = []
    for occasion in np.unique(choices.occasion[test]):
        rows = test[choices.occasion[test] == occasion]
        taken = rows[many.target.hits[rows]][0]
        by_hand.append(share[choices.alternative[taken]] / share[choices.alternative[rows]].sum())
    assert value(found, "mean_chosen_probability", model="baseline") == pytest.approx(np.mean(by_hand))
    evenly = np.mean([1 / (choices.occasion[test] == each).sum() for each in np.unique(choices.occasion[test])])
    assert value(found, "mean_chosen_probability", model="equal_shares") == pytest.approx(evenly)
    assert found.standing is Standing.WITHIN
    assert found.answer.startswith("It beats the observed shares:")


def test_challengers_are_the_constants_and_the_model_without_a_feature() -> None:
    text = "\n".join(
        f"{line},{'noise' if not place else place * 7 % 11}" for place, line in enumerate(csv(300).splitlines())
    )
    of = subject(text + "\n")
    (found,) = retest(bench(of, "challengers"))
    assert found.state == "done"
    assert {one.model for one in found.estimates if one.comparison is None} == {
        "recipe",
        "constants_only",
        "without:wait",
        "without:noise",
    }
    # Nothing but the wait was planted: without it the constants are left, without the noise nothing is lost.
    mine = value(found, "mean_chosen_probability", model="recipe", comparison=None)
    assert value(found, "mean_chosen_probability", model="without:noise", comparison=None) == pytest.approx(
        mine, abs=0.01
    )
    assert value(found, "mean_chosen_probability", model="constants_only", comparison=None) < mine - 0.1
    assert value(found, "mean_chosen_probability", model="without:wait", comparison=None) < mine - 0.1


def test_claims_by_folds_and_of_one_alternative() -> None:
    claims = [
        {"measure": "mean_chosen_probability", "method": "cross_validation", "folds": 5, "value": "0.62"},
        {"measure": "hit_rate", "part": "test", "value": "0.99"},
    ]
    (found,) = retest(bench(subject(csv(600), claims=claims), "claims"))
    verdicts = [one.verdict for one in found.estimates if one.verdict is not None]
    assert verdicts[1] == "overstated"
    assert verdicts[0] != "cannot_be_checked"
    assert found.standing is Standing.OUTSIDE


def test_groups_are_of_those_who_choose_alternative_by_alternative(many: Subject) -> None:
    made = bench(many, "groups")
    (found,) = retest(made)
    assert found.state == "done"
    assert {one.class_ for one in found.estimates if one.group} == {"am", "pm", "eve"}
    base = value(found, "base_rate", group={"zone": "n"}, class_="eve", part="out_of_fold", comparison=None)
    choices, rows = many.choices, made.split.cross_validated
    assert choices is not None
    mine = rows[(choices.alternative[rows] == choices.alternatives.index("eve"))]
    north = np.array(many.table.column("zone").texts())[mine] == "n"
    assert base == pytest.approx(many.target.hits[mine][north].mean())


def test_a_protected_column_of_the_alternatives_is_refused() -> None:
    roles = {**ROLES, "ignore": ["zone"], "protected": ["crew"]}
    lines = [f"{line},{'crew' if not place else place % 2}" for place, line in enumerate(csv().splitlines())]
    of = subject("\n".join(lines) + "\n", data=[{"name": "rows", "path": "data/rows.csv", "roles": roles}])
    (found,) = retest(bench(of, "groups"))
    assert found.state == "not_applicable"
    assert "crew differs among the alternatives of an occasion" in found.answer


def test_calibration_is_of_each_alternative_where_it_could_be_had(many: Subject) -> None:
    made = bench(many, "calibration")
    (found,) = retest(made)
    n = {one.class_: one.n for one in found.estimates if one.measure == "calibration_slope" and one.leading}
    choices, rows = many.choices, made.split.cross_validated
    assert choices is not None
    there = np.bincount(choices.alternative[rows])
    assert n == {name: there[place] for place, name in enumerate(choices.alternatives)}


def test_the_rows_behind_an_occasion_say_what_each_alternative_was_given(many: Subject) -> None:
    made = bench(many, "holdout")

    need = made.submitted.holdout
    ledger = MemoryLedger()
    ledger.keep(execute(FitJob(need.fit, (need.reading,)), many))
    behind = rows_behind(made, ledger, Behind(model="recipe", part="test", outcome="eve", decided="eve"))
    table = behind.with_rows(many.table)
    assert set(table.column("slot").texts()) == {"eve"}
    assert set(table.column("took").texts()) == {"1"}
    assert {"score of am", "score of pm", "score of eve", "decided"} <= set(table.names)
    assert set(table.column("decided").texts()) == {"eve"}


def test_substitution_finds_alternatives_that_are_alike() -> None:
    # Two buses share what is unknown of them: whoever would take one would take the other, whatever the train costs.
    rng = np.random.default_rng(5)
    lines = ["who,slot,cost,took"]
    for place in range(3000):
        cost = rng.integers(1, 10, 3) / 2
        shared = rng.gumbel() * 2.5
        luck = np.array([rng.gumbel(), shared + rng.gumbel() * 0.2, shared + rng.gumbel() * 0.2])
        best = int((-1.0 * cost + luck).argmax())
        lines += [f"o{place},{name},{cost[k]},{int(k == best)}" for k, name in enumerate(("train", "red", "blue"))]
    roles = {"target": "took", "occasion": "who", "alternative": "slot"}
    alike = subject(
        "\n".join(lines) + "\n", expectations=[], data=[{"name": "r", "path": "data/rows.csv", "roles": roles}]
    )
    (found,) = retest(bench(alike, "substitution"))
    assert "weighed otherwise" in found.answer + " ".join(found.lines)
    assert value(found, "hausman_mcfadden_p_value_holm", class_="train") < 0.05


def test_which_alternative_comes_first_changes_no_test_of_independence() -> None:
    # The constants are against the first alternative; its name decides which that is.
    text = csv(500, seed=9)
    told = {}
    for names in ({}, {"am": "zam"}):
        renamed = text
        for old, new in names.items():
            renamed = renamed.replace(f",{old},", f",{new},")
        (found,) = retest(bench(subject(renamed), "substitution"))
        told[bool(names)] = {
            str(one.class_).removeprefix("z"): (one.value, one.note)
            for one in found.estimates
            if one.measure == "hausman_mcfadden"
        }
    plain, turned = told[False], told[True]
    assert set(plain) == {"am", "pm", "eve"}
    for name, (value_, note) in plain.items():
        if value_ is None:
            assert turned[name] == (None, note)
        else:
            assert turned[name][0] == pytest.approx(value_, rel=1e-4)
    assert plain["am"][0] is not None


def test_substitution_leaves_independent_alternatives_alone(many: Subject) -> None:
    (found,) = retest(bench(many, "substitution"))
    assert found.answer.startswith("1 % more wait takes ")
    assert "no more than chance would" in found.answer
    own = value(found, "elasticity", class_="eve", model="recipe")
    others = value(found, "elasticity", class_="eve", model="other_alternatives")
    assert own < 0 < others


def scored_files(change: str = "") -> dict[str, bytes]:
    """A package whose owner sends a probability for each row that could be had: by the waits alone, to three decimals."""
    rows = [line.split(",") for line in csv(300).splitlines()]
    shares: dict[str, float] = {}
    for who, _, there, wait, *_ in rows[1:]:
        shares[who] = shares.get(who, 0.0) + int(there) * np.exp(-0.3 * int(wait))
    lines = [",".join([*rows[0], "p"])]
    for row in rows[1:]:
        share = np.exp(-0.3 * int(row[3])) / shares[row[0]]
        lines.append(",".join([*row, f"{share:.3f}" if row[2] == "1" else ""]))
    if change:
        lines[1] = ",".join([*lines[1].split(",")[:-1], change])
    roles = {**ROLES, "ignore": ["zone", "p"]}
    return files(
        "\n".join(lines) + "\n",
        data=[{"name": "rows", "path": "data/rows.csv", "roles": roles}],
        predictions=[{"path": "data/rows.csv", "score": "p"}],
        claims=[{"measure": "hit_rate", "part": "all", "value": "0.99"}],
    )


def test_supplied_probabilities_of_a_choice_are_tested_as_they_are() -> None:
    of = subject_of(package_from_files(scored_files()))
    claims, holdout, gap = retest(bench(of, "claims", "holdout", "baseline"))
    table, choices = of.table, of.choices
    assert choices is not None
    share = np.nan_to_num(table.column("p").values)
    best = np.zeros(300)
    np.maximum.at(best, choices.occasion, share)
    is_best = share == best[choices.occasion]
    each = is_best / np.bincount(choices.occasion, is_best)[choices.occasion]
    assert value(holdout, "hit_rate", model="scores") == pytest.approx(each[of.target.hits].mean())
    verdicts = {one.model: one.verdict for one in claims.estimates if one.verdict is not None}
    assert verdicts["scores"] == "not_reproduced"
    assert value(gap, "mean_chosen_probability", model="scores", comparison=None) == pytest.approx(
        share[of.target.hits].mean(), abs=0.01
    )


@pytest.mark.parametrize(
    ("written", "problem"),
    [("", "some alternatives only"), ("1.7", "outside 0 to 1"), ("0.9", "do not add up to 1")],
)
def test_probabilities_that_are_none_are_refused_with_their_row(written: str, problem: str) -> None:
    files_ = scored_files(written)
    if not written:
        text = files_["data/rows.csv"].decode().splitlines()
        text[1] = text[1].rpartition(",")[0] + ","
        files_ = {**files_, "data/rows.csv": ("\n".join(text) + "\n").encode()}
    with pytest.raises(UserError, match=problem) as found:
        package_from_files(files_)
    assert found.value.row in (2, 3)
    assert "It is occasion o0." in str(found.value)


def test_a_simulated_choice_follows_the_probabilities() -> None:
    offered = np.tile([[0.1, 0.0, 0.9]], (20_000, 1))
    rows = Picked(
        key="t",
        offered=offered,
        there=offered > 0,
        picked=np.zeros(20_000, dtype=np.int64),
        alternatives=("a", "b", "c"),
    )
    counts = np.bincount(simulated(rows), minlength=3) / 20_000
    assert counts == pytest.approx([0.1, 0.0, 0.9], abs=0.01)
    assert (simulated(rows) == simulated(rows)).all()


def test_occasions_are_listed_with_what_was_chosen_and_what_was_drawn(many: Subject) -> None:
    made = bench(many, "choice")
    (found,) = retest(made)
    (table,) = [one for one in found.tables if one.title.startswith("The first 40 of 180 test occasions")]
    assert table.columns == ("occasion", "am", "eve", "pm", "chosen", "its probability", "simulated")
    first = [str(cell.text) for cell in table.rows[0]]
    rows = made.split.parts["test"]
    names = many.table.column("who").texts()
    assert first[0] == names[rows[0]]
    assert sum(float(cell) for cell in first[1:4] if cell != "–") == pytest.approx(1, abs=0.002)
    assert first[4] in ("am", "pm", "eve")
    assert first[6] in ("am", "pm", "eve")


def test_a_weighted_occasion_counts_as_often_as_its_weight() -> None:
    rows = picked(40)
    twice = Picked(
        key="w",
        offered=rows.offered,
        there=rows.there,
        picked=rows.picked,
        alternatives=rows.alternatives,
        weights=np.where(np.arange(40) < 10, 2.0, 1.0),
    )
    again = rows.take(np.r_[np.arange(10), np.arange(40)], "twice")
    for name in ("mean_chosen_probability", "hit_rate", "rho_squared", "log_likelihood"):
        assert measure(name, twice).value == pytest.approx(measure(name, again).value)


def test_resampled_rows_would_hold_an_occasion_twice(many: Subject) -> None:
    folds = {"kind": "bootstrap", "folds": 20, "repeats": 1, "by": "rows", "stratified": False}
    (found,) = retest(bench(many, "cross_validation", cross_validation=folds))
    assert found.state == "not_applicable"
    assert "can't stand twice" in found.answer


def test_a_version_in_use_is_refitted_on_the_same_occasions(many: Subject) -> None:
    older = {"version": "0.9", "recipe": {"family": "conditional_logit", "settings": {"constants": False}}}
    (found,) = retest(bench(many, "in_use", in_use=older))
    assert found.state == "done"
    assert "480 occasions" in found.answer or "420 occasions" in found.answer
    assert any("of the occasions otherwise" in line or "every occasion alike" in line for line in found.lines)


def test_models_of_a_choice_are_compared_by_occasion(many: Subject) -> None:
    made = bench(many, "challengers")
    chosen = [made.submitted, made.candidate("constants_only"), made.candidate("baseline")]
    ledger = MemoryLedger()
    for one in chosen:
        for need in one.needs("test"):
            ledger.keep(execute(FitJob(need.fit, (need.reading,)), many))
    written, rows = compare_models(made, ledger, chosen, "test", "mean_chosen_probability")
    assert len(rows) == 180
    assert written.answer.startswith("On the same 180 test occasions the submitted recipe comes first of 3")
