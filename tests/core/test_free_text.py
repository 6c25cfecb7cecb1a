"""Free text: told from categories, never levels, weighed by words as scikit-learn does, and searched for what leaks."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
from sklearn.feature_extraction.text import TfidfVectorizer
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.leak_suspects import alone
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import CoefficientReading, FitJob, ScoreReading
from brookfall.core.judge.grounds import Grounds
from brookfall.core.measure.phrases import phrases_in, pure_phrase, strongest
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.retest.run import retest
from brookfall.core.retest.screening.issues import issues_of
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from tests.made import said, subject_of_frame

WORDS = Recipe(family="logistic", preprocess=Preprocess(text="words"), threshold=0.5)
GROUNDS = Grounds(("sex",))
_VERBS = ("called", "wrote", "visited", "asked", "waited", "answered")
_PLACES = ("at the door", "by the stairs", "in the yard", "near the gate", "after lunch", "before noon", "on the phone")
_WHO = ("neighbour", "tenant", "owner", "warden", "caretaker", "visitor")


def notes(n: int, seed: int = 4) -> list[str]:
    """Short notes of a few parts: hundreds of different entries, many of them more than once."""
    rng = np.random.default_rng(seed)
    return [
        f"{rng.choice(_WHO)} {rng.choice(_VERBS)} {rng.choice(_PLACES)}"
        + (f", {rng.choice(_WHO)} {rng.choice(_VERBS)}" if rng.random() < 0.5 else "")
        for _ in range(n)
    ]


def frame(n: int = 1500, leak: float = 0.0, seed: int = 4, strength: float = 1.5) -> pd.DataFrame:
    """An outcome that a number and one word of the note tell in part; with ``leak`` a phrase stands in that share of
    the positive rows' notes."""
    rng = np.random.default_rng(seed)
    written = notes(n, seed)
    x = rng.normal(size=n).round(3)
    tenant = np.array(["tenant" in note for note in written])
    hit = rng.random(n) < 1 / (1 + np.exp(-(x + strength * tenant - strength / 2)))
    told = [
        f"{note}, refusal likely" if one and rng.random() < leak else note
        for note, one in zip(written, hit, strict=True)
    ]
    return pd.DataFrame({"x": x, "note": told, "y": np.where(hit, "yes", "no")})


def subject(recipe: Recipe = WORDS, **made: Any) -> Subject:
    return subject_of_frame(frame(**made), "y", recipe, "binary")


def exhibit(of: Subject, check: str) -> Exhibit:
    plan = standard_plan(2, given_parts=False).model_copy(update={"checks": (check,)})
    return retest(Bench(of, plan))[0]


def test_notes_are_text_and_names_of_places_are_not() -> None:
    assert column_from_text("note", notes(6000)).kind == "text"
    assert len(set(notes(6000))) < 0.5 * 6000
    towns = [f"{side} {name}" for side in ("Upper", "Lower") for name in ("Quay", "Hill", "Weir")] * 50
    assert column_from_text("town", towns).kind == "category"
    assert column_from_text("zone", ["north", "south"] * 50).kind == "category"


def test_words_weigh_what_they_weigh_in_scikit_learn() -> None:
    # The reference library, on the same training rows: TfidfVectorizer beside the number, LogisticRegression unpenalised.
    recipe = WORDS.model_copy(update={"settings": {"penalty": "l2", "strength": 1.0}})
    of = subject(recipe)
    train, test = np.arange(1000), np.arange(1000, 1500)
    reading = ScoreReading(test)
    bench = Bench(of, standard_plan(2, given_parts=False))
    done = execute(FitJob(bench.fit(train), (reading,)), of)
    assert done.failure is None
    told = frame()
    weigher = TfidfVectorizer(max_features=500, min_df=2).fit(told["note"][:1000])
    design = np.column_stack([told["x"], weigher.transform(told["note"]).toarray()])
    theirs = LogisticRegression(C=1.0, max_iter=5000, tol=1e-8).fit(design[:1000], told["y"][:1000] == "yes")
    assert done.readings[reading.key] == pytest.approx(theirs.predict_proba(design[1000:])[:, 1], abs=2e-3)


def test_a_text_never_becomes_levels() -> None:
    left_out = Recipe(family="logistic", threshold=0.5)
    of = subject(left_out)
    bench = Bench(of, standard_plan(2, given_parts=False))
    rows = np.arange(1000)
    reading = CoefficientReading(rows)
    done = execute(FitJob(bench.fit(rows), (reading,)), of)
    # A constant and the one number.
    assert done.readings[reading.key].shape == (3, 2)
    for family in ("tree", "forest", "gradient_boosting", "nearest_neighbours"):
        one = execute(FitJob(bench.fit(rows, recipe=Recipe(family=family)), (ScoreReading(rows),)), of)
        assert one.failure is None, family


def test_a_recipe_of_nothing_but_text_that_it_leaves_out_says_so() -> None:
    of = subject_of_frame(frame()[["note", "y"]], "y", Recipe(family="logistic"), "binary")
    bench = Bench(of, standard_plan(2, given_parts=False))
    done = execute(FitJob(bench.fit(np.arange(500)), (ScoreReading(np.arange(500)),)), of)
    assert "every feature is free text" in str(done.failure)


@pytest.mark.parametrize("family", ["logistic", "tree", "gradient_boosting", "naive_bayes"])
def test_words_are_learned_by_every_kind_of_family(family: str) -> None:
    recipe = Recipe(family=family, preprocess=Preprocess(text="words", scale="standard"), threshold=0.5)
    of = subject(recipe, strength=5.0)
    train, test = np.arange(1000), np.arange(1000, 1500)
    scores = {}
    for text in ("words", "left_out"):
        made = recipe.model_copy(update={"preprocess": recipe.preprocess.model_copy(update={"text": text})})
        bench = Bench(of, standard_plan(2, given_parts=False))
        done = execute(FitJob(bench.fit(train, recipe=made), (ScoreReading(test),)), of)
        scores[text] = roc_auc_score(of.target.hits[test], next(iter(done.readings.values())))
    assert scores["words"] > scores["left_out"] + 0.03


def test_gaps_and_texts_without_a_common_word_are_no_error() -> None:
    made = frame(400)
    made.loc[::3, "note"] = ""
    of = subject_of_frame(made, "y", WORDS, "binary")
    bench = Bench(of, standard_plan(2, given_parts=False))
    assert execute(FitJob(bench.fit(np.arange(300)), (ScoreReading(np.arange(400)),)), of).failure is None
    alone_ = frame(400).assign(note=[f"w{i} v{i} u{i} t{i}" for i in range(400)])
    none = subject_of_frame(alone_, "y", WORDS, "binary")
    assert none.table.column("note").kind == "text"
    assert execute(FitJob(bench.fit(np.arange(300)), (ScoreReading(np.arange(300)),)), none).failure is None


def test_a_phrase_that_gives_the_answer_away_is_outside_and_quoted() -> None:
    found = exhibit(subject(leak=1.0), "leaks")
    assert found.standing is Standing.OUTSIDE
    assert "'refusal likely' in note" in said(found) or "'likely' in note" in said(found)
    n = int((frame(leak=1.0)["y"] == "yes").sum())
    assert f"Where 'refusal likely' stands in note, all {n} rows are yes." in said(found)


def test_a_phrase_in_some_positive_rows_alone_is_told_and_sound_notes_are_not() -> None:
    told = said(exhibit(subject(leak=0.3), "leaks"))
    assert "Where 'refusal likely' stands in note, all " in told
    sound = exhibit(subject(), "leaks")
    assert sound.standing is Standing.WITHIN
    assert "stands in note" not in said(sound)


def test_the_strongest_phrase_is_found_on_one_half_and_measured_on_the_other() -> None:
    of = subject(leak=0.0)
    (phrase,) = [one for one in alone(of, 1) if one.phrase]
    assert phrase.figure.n == pytest.approx(750, abs=1)
    # Its AUC on rows that did not choose it: of a word that tells in part.
    assert phrase.phrase.startswith("tenant") or "tenant" in phrase.phrase
    assert 0.55 < (phrase.figure.value or 0.0) < 0.75


def test_counts_of_phrases_by_hand() -> None:
    cells = ["red door", "red door", "blue door", None] * 10
    column = column_from_text("note", cells)
    found = phrases_in(column)
    held = dict(zip(found.names, np.asarray(found.held.sum(axis=0)).ravel().tolist(), strict=True))
    assert held == {"blue": 10, "blue door": 10, "door": 30, "red": 20, "red door": 20}
    outcomes = np.array([1.0, 1.0, 0.0, 0.0] * 10)
    told = strongest(found, outcomes, np.ones(40, dtype=bool))
    assert told is not None
    assert (told.phrase, round(told.strength, 6)) == ("red", 1.0)
    pure = pure_phrase(found, outcomes.astype(np.int64), 2)
    assert pure is not None
    assert (pure.phrase, pure.n, pure.code) == ("red door", 20, 1)


def test_the_data_page_says_what_becomes_of_a_text() -> None:
    (weighed,) = [one for one in issues_of(subject(), GROUNDS) if one.about == "free_text"]
    assert weighed.sentence.endswith("the recipe learns from its words.")
    (left,) = [one for one in issues_of(subject(Recipe(family="logistic")), GROUNDS) if one.about == "free_text"]
    assert left.sentence.endswith("the recipe leaves it out, as it weighs no words.")
    assert [action.label for action in left.actions] == ["Read note as a category", "Ignore note"]


def test_challengers_read_the_texts_that_the_recipe_reads() -> None:
    plan = standard_plan(2, given_parts=False)
    weighed, plain = (Bench(subject(recipe), plan) for recipe in (WORDS, Recipe(family="logistic", threshold=0.5)))
    assert {one.recipe.preprocess.text for one in weighed.challengers} == {"words"}
    assert {one.recipe.preprocess.text for one in plain.challengers} == {"left_out"}
