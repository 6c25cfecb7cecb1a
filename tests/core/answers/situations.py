"""Situations that every check is put in: a subject and a plan each."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd

from brookfall.core.check.bench import Bench
from brookfall.core.check.registry import checks_of
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.plan.plan import InUse
from brookfall.core.recipe.recipe import Recipe, Split
from brookfall.core.resample.declared import Folds
from brookfall.core.retest.run import retest
from brookfall.core.submission.schema import Claim, Expectation
from brookfall.core.submission.subject import Subject, subject_of
from tests.conftest import small_plan
from tests.core import test_choice, test_free_text, test_not_observed, test_over_time, test_supplied
from tests.made import MAIN, subject_of_frame

LOGISTIC = Recipe(family="logistic", preprocess={"scale": "standard"}, threshold=0.5, seed=3)
ROLES = {"positive": "yes", "protected": ("sex", "age"), "identifier": ("id",)}


def people(n: int, seed: int = 6, *, slope: float = 1.5, harm: float = 0.0, leak: bool = False) -> pd.DataFrame:
    """Visits: two numbers that matter as far as the slope says, one that does not, a place, two grounds, a stand-in."""
    rng = np.random.default_rng(seed)
    near, calls, noise = rng.normal(size=n), rng.poisson(2.0, n), rng.normal(size=n)
    sex, age = rng.choice(["f", "m"], n), rng.choice(["18-39", "40-64", "65+"], n, p=[0.4, 0.35, 0.25])
    district = np.where(rng.random(n) < 0.85, np.where(sex == "f", "east", "west"), rng.choice(["east", "west"], n))
    logit = slope * near + 0.3 * slope * (calls - 2) - harm * (sex == "f")
    found = rng.random(n) < 1 / (1 + np.exp(-logit))
    frame = pd.DataFrame(
        {
            "id": [f"h{i}" for i in range(n)],
            "near": near.round(4),
            "calls": calls,
            "noise": noise.round(4),
            "district": district,
            "sex": sex,
            "age": age,
            "found": np.where(found, "yes", "no"),
        }
    )
    if leak:
        frame.insert(4, "closing_note", np.where(found, "acted", "none"))
    return frame


def yes_no(frame: pd.DataFrame, recipe: Recipe = LOGISTIC, claims: tuple[Claim, ...] = (), **roles: Any) -> Subject:
    made = subject_of_frame(frame, "found", recipe, **{**ROLES, **roles})
    expected = (Expectation(feature="near", sign="positive"), Expectation(feature="calls", sign="positive"))
    return replace(made, claims=claims, expectations=expected)


@dataclass(frozen=True)
class Situation:
    """What is said of it in the table, whose rows it is, and what the plan asks beside the usual.

    Challengers, which take most of the time, are asked in few of them.
    """

    words: str
    subject: Callable[[], Subject]
    only: tuple[str, ...] = ()
    plan: tuple[tuple[str, Any], ...] = ()
    without: tuple[str, ...] = ("challengers",)

    def exhibits(self) -> list[Exhibit]:
        """Every check of the outcome, or only some."""
        subject = self.subject()
        usual = {
            "cross_validation": Folds(folds=4, repeats=1),
            "splits": 20,
            "shuffles": 20,
            "main_measure": MAIN[subject.outcome],
            "checks": self.only or tuple(name for name in checks_of(subject.outcome) if name not in self.without),
        }
        return list(retest(Bench(subject, small_plan(**{**usual, **dict(self.plan)}))))


def _claim(measure: str, value: str, **more: Any) -> Claim:
    return Claim(measure=measure, value=value, **{"part": "test", **more})


def _number(n: int = 320) -> Subject:
    frame = people(n)
    rng = np.random.default_rng(2)
    minutes = 8 + 2 * frame["near"] + frame["calls"] + rng.normal(size=n)
    frame = frame.drop(columns="found").assign(minutes=minutes.round(3))
    roles = {name: value for name, value in ROLES.items() if name != "positive"}
    return subject_of_frame(frame, "minutes", Recipe(family="linear"), "number", **roles)


def _classes(n: int = 320) -> Subject:
    frame = people(n)
    rng = np.random.default_rng(2)
    size = frame["near"] + 0.5 * rng.normal(size=n)
    cause = np.where(size > 0.6, "cooking", np.where(size > -0.4, "wiring", "other"))
    frame = frame.drop(columns="found").assign(cause=cause)
    roles = {name: value for name, value in ROLES.items() if name != "positive"}
    recipe = Recipe(family="logistic")
    return subject_of_frame(frame, "cause", recipe, "multiclass", **roles)


def _supplied() -> Subject:
    scores = test_supplied.binary_scores(range(120, 420))
    package = test_supplied.opened("binary", scores, test_supplied.BY_KEY)
    return subject_of(package)


def _choosers() -> Subject:
    """A choice whose zone is protected, with a claim that is too high."""
    roles = {**test_choice.ROLES, "protected": ["zone"]}
    data = [{"name": "rows", "path": "data/rows.csv", "roles": roles}]
    claims = [{"measure": "hit_rate", "part": "test", "value": "0.95"}]
    return test_choice.subject(test_choice.csv(600), data=data, claims=claims)


TREE = Recipe(family="tree", threshold=0.5)
FOREST = Recipe(family="forest", settings={"trees": 20}, threshold=0.5)
OLD = InUse(version="1.0", recipe=Recipe(family="tree", settings={"depth": 2}))
CLAIMS = ("claims", "luck")
SPLIT = LOGISTIC.model_copy(update={"split": Split(test=0.25, seed=5)})

SITUATIONS = (
    Situation("a sound model", lambda: yes_no(people(700)), plan=(("in_use", OLD), ("shuffles", 99)), without=()),
    Situation("a tree that knows its rows by heart", lambda: yes_no(people(500), TREE), plan=(("in_use", OLD),)),
    Situation(
        "a forest",
        lambda: yes_no(people(300), FOREST),
        only=("cross_validation", "gap", "shuffled", "complexity", "optimism", "trees"),
    ),
    Situation("nothing to learn", lambda: yes_no(people(400, seed=9, slope=0.0))),
    Situation("a leak", lambda: yes_no(people(500, leak=True))),
    Situation("women passed over", lambda: yes_no(people(1500, harm=2.0), also_features=("sex",))),
    Situation("40 rows", lambda: yes_no(people(40))),
    Situation(
        "no protected column", lambda: yes_no(people(200), protected=()), only=("groups", "combinations", "proxies")
    ),
    Situation(
        "no threshold",
        lambda: replace(yes_no(people(300), LOGISTIC.model_copy(update={"threshold": None})), decide_at=None),
        only=("holdout", "threshold", "use", "groups", "group_thresholds", "sensitivity"),
    ),
    Situation("a fifth can be seen", lambda: yes_no(people(500)), only=("use",), plan=(("capacity", 20.0),)),
    Situation("six in ten can be seen", lambda: yes_no(people(500)), only=("use",), plan=(("capacity", 60.0),)),
    Situation("a year without change", lambda: test_over_time.visits(900), only=("over_time",)),
    Situation("a year that drifts", lambda: test_over_time.visits(900, drift=2.5), only=("over_time",)),
    Situation("scores alone", _supplied, plan=(("threshold", 0.5),)),
    Situation(
        "a number",
        _number,
        plan=(("in_use", InUse(version="1.0", recipe=Recipe(family="tree", settings={"depth": 2}))),),
    ),
    Situation("three classes", _classes, plan=(("in_use", OLD),), without=()),
    Situation("half of the homes looked at", test_not_observed.subject, only=("profile", "not_observed")),
    Situation("notes with a telling phrase", lambda: test_free_text.subject(leak=1.0), only=("leaks", "preparation")),
    Situation("a choice", test_choice.subject),
    Situation("a choice with those who choose", _choosers, without=()),
    Situation("no claim", lambda: yes_no(people(400)), only=CLAIMS),
    Situation("one claim, compatible", lambda: yes_no(people(400), SPLIT, (_claim("auc", "0.83"),)), only=CLAIMS),
    Situation("one claim, overstated", lambda: yes_no(people(400), SPLIT, (_claim("auc", "0.97"),)), only=CLAIMS),
    Situation(
        "two claims, one understated",
        lambda: yes_no(people(400), SPLIT, (_claim("auc", "0.83"), _claim("accuracy", "0.45", threshold=0.5))),
        only=CLAIMS,
    ),
    Situation(
        "a claim on no such part",
        lambda: yes_no(people(400), SPLIT, (_claim("auc", "0.8", part="pilot"),)),
        only=CLAIMS,
    ),
)
