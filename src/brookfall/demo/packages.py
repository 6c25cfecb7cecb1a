"""Submission packages of the demo, generated from a seed, with faults planted for a reviewer to find.

Home visit priority 1.0: an unpruned tree, perfect on its training rows.
Home visit priority 2.0: boosted trees; a district stands in for ethnic group, and women of 65 and over are
passed over though neither sex nor age shows it alone; its claims come from a lucky split.
Smoke alarm take-up 2.1: sound and small.
"""

import csv
import io

import numpy as np
import yaml
from numpy.typing import NDArray

_SEED = 1947
_HOMES = 6000
_ALARMS = 1400

Files = dict[str, bytes]


def home_visit_1() -> Files:
    """The unpruned tree; its claims were measured on its own training rows."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Home visit priority",
            "version": "1.0",
            "tier": 1,
            "outcome": "binary",
            "purpose": "Which homes should be offered a safety visit first",
            "use": "Ranks the yearly list of homes; about a third are offered a visit.",
            "population": "Homes in Hollinmoor with at least one resident of full age.",
            "owner": "Prevention analytics",
        },
        "data": [_homes_data(also_features=[])],
        "recipe": {
            "family": "tree",
            "settings": {"criterion": "gini"},
            "preprocess": {"missing": "median", "scale": "none", "encode": "ordinal"},
            "threshold": 0.5,
            "seed": 3,
            "split": {"test": 0.2, "seed": 3, "stratified": True},
        },
        "claims": [
            {"measure": "accuracy", "part": "training", "value": "1.00"},
            {"measure": "accuracy", "part": "test", "threshold": 0.5, "value": "0.76"},
            {"measure": "auc", "part": "test", "value": "0.81"},
        ],
    }
    return {"submission.yaml": _yaml(declaration), "data/households.csv": _households()}


def home_visit_2() -> Files:
    """The boosted trees; the claimed split was the best of many."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Home visit priority",
            "version": "2.0",
            "tier": 1,
            "outcome": "binary",
            "purpose": "Which homes should be offered a safety visit first",
            "use": "Ranks the yearly list of homes; about a third are offered a visit.",
            "population": "Homes in Hollinmoor with at least one resident of full age.",
            "owner": "Prevention analytics",
        },
        "data": [_homes_data(also_features=["age_band"])],
        "recipe": {
            "family": "gradient_boosting",
            "settings": {"trees": 60, "depth": 3, "learning_rate": 0.1},
            "preprocess": {"missing": "median", "scale": "none", "encode": "onehot"},
            "threshold": 0.4,
            "seed": 7,
            "split": {"test": 0.2, "seed": 7, "stratified": True},
        },
        "claims": [
            {"measure": "auc", "part": "test", "value": "0.830"},
            {"measure": "accuracy", "part": "test", "threshold": 0.5, "value": "0.79"},
            {"measure": "auc", "method": "cross_validation", "folds": 10, "value": "0.82"},
        ],
        "expectations": [{"feature": "smokers", "sign": "positive"}],
    }
    return {"submission.yaml": _yaml(declaration), "data/households.csv": _households()}


def smoke_alarm() -> Files:
    """A plain logistic regression with honest claims."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Smoke alarm take-up",
            "version": "2.1",
            "tier": 3,
            "outcome": "binary",
            "purpose": "Which households will accept a free smoke alarm when one is offered",
            "use": "Plans how many alarms to carry on a round; nobody is refused one.",
            "population": "Households offered an alarm in the last two years.",
            "owner": "Community safety",
        },
        "data": [
            {
                "name": "offers",
                "path": "data/offers.csv",
                "roles": {
                    "target": "accepted",
                    "positive": "yes",
                    "identifier": ["offer_id"],
                    "protected": ["sex", "age_band"],
                },
            }
        ],
        "recipe": {
            "family": "logistic",
            "settings": {"penalty": "none"},
            "preprocess": {"missing": "median", "scale": "standard", "encode": "onehot"},
            "threshold": 0.5,
            "seed": 1,
        },
        "claims": [
            {"measure": "auc", "part": "test", "value": "0.78"},
            {"measure": "accuracy", "part": "test", "threshold": 0.5, "value": "0.72"},
        ],
    }
    return {"submission.yaml": _yaml(declaration), "data/offers.csv": _offers()}


def _homes_data(also_features: list[str]) -> dict[str, object]:
    return {
        "name": "households",
        "path": "data/households.csv",
        "roles": {
            "target": "hazard_found",
            "positive": "yes",
            "identifier": ["household_id"],
            "protected": ["sex", "age_band", "ethnic_group", "disability"],
            "also_features": also_features,
            "ignore": ["visited_on"],
        },
    }


def _households() -> bytes:
    rng = np.random.default_rng(_SEED)
    n = _HOMES
    sex = rng.choice(["female", "male"], n, p=[0.52, 0.48])
    age = rng.choice(["18-39", "40-64", "65+"], n, p=[0.34, 0.38, 0.28])
    ethnic = rng.choice(["Alder", "Birch", "Cedar"], n, p=[0.68, 0.2, 0.12])
    disability = rng.choice(["yes", "no"], n, p=[0.16, 0.84])
    district = _district(rng, ethnic)
    older_woman = (sex == "female") & (age == "65+")
    older_man = (sex == "male") & (age == "65+")
    smokers = rng.poisson(np.where(older_woman, 0.3, np.where(older_man, 1.0, np.where(sex == "female", 0.95, 0.62))))
    # Club membership is the trace by which the model tells older women apart without ever seeing sex.
    clubs = rng.poisson(np.where(older_woman, 2.6, 0.5))
    people = 1 + rng.poisson(np.where(age == "65+", 0.5, 1.4))
    built = np.clip(rng.normal(1962, 26, n), 1880, 2022).round().astype(int)
    heating = rng.choice(["gas", "electric", "solid fuel", "oil"], n, p=[0.6, 0.2, 0.12, 0.08])
    alarms = rng.poisson(1.5, n)
    previous = rng.poisson(0.25, n)
    income = np.clip(rng.lognormal(10.2, 0.45, n), 6000, 180000).round(-2)
    drive = np.clip(rng.gamma(3.0, 2.6, n), 0.6, 40).round(1)
    in_need = 1.3 * smokers - 0.55 * alarms + 0.75 * previous + 0.45 * (heating == "solid fuel")
    in_need = in_need + 0.018 * (1975 - built) - 0.35 * (np.log(income) - 10.2) + 0.25 * (people > 3)
    in_need = in_need + np.isin(district, ["Quay", "Tanners"]) * 0.55
    # What endangers older women (cooking, trailing leads) is not among the columns: their risk is there, unseen.
    logit = np.where(older_woman, -1.15 + 0.25 * in_need, -1.15 + in_need)
    found = rng.random(n) < 1 / (1 + np.exp(-logit))
    columns: dict[str, list[str]] = {
        "household_id": [f"H{i:05d}" for i in range(1, n + 1)],
        "district": list(district),
        "sex": list(sex),
        "age_band": list(age),
        "ethnic_group": list(ethnic),
        "disability": list(disability),
        "people": _texts(people),
        "built": _texts(built, rng, gaps=0.03),
        "heating": list(heating),
        "smokers": _texts(smokers),
        "alarms": _texts(alarms),
        "club_memberships": _texts(clubs),
        "previous_calls": _texts(previous),
        "income": _texts(income, rng, gaps=0.06),
        "drive_minutes": _texts(drive),
        "visited_on": [str(day) for day in np.datetime64("2024-01-08") + rng.integers(0, 600, n)],
        "hazard_found": ["yes" if one else "no" for one in found],
    }
    return _csv(columns)


def _district(rng: np.random.Generator, ethnic: NDArray[np.str_]) -> NDArray[np.str_]:
    names = ["Moorside", "Uphill", "Weir", "Quay", "Tanners"]
    shares = {
        "Alder": [0.32, 0.31, 0.27, 0.06, 0.04],
        "Birch": [0.06, 0.07, 0.07, 0.55, 0.25],
        "Cedar": [0.05, 0.06, 0.07, 0.22, 0.60],
    }
    district = np.empty(len(ethnic), dtype="<U8")
    for group, weights in shares.items():
        chosen = ethnic == group
        district[chosen] = rng.choice(names, int(chosen.sum()), p=weights)
    return district


def _offers() -> bytes:
    rng = np.random.default_rng(_SEED + 1)
    n = _ALARMS
    sex = rng.choice(["female", "male"], n)
    age = rng.choice(["18-39", "40-64", "65+"], n, p=[0.3, 0.4, 0.3])
    owned = rng.poisson(1.1, n)
    years = np.clip(rng.gamma(2.0, 5.0, n), 0, 45).round(1)
    children = rng.poisson(0.7, n)
    tenure = rng.choice(["owner", "private tenant", "council tenant"], n, p=[0.5, 0.25, 0.25])
    logit = 0.3 - 1.05 * owned + 0.035 * years + 0.55 * children + 0.7 * (tenure == "council tenant")
    accepted = rng.random(n) < 1 / (1 + np.exp(-logit))
    return _csv(
        {
            "offer_id": [f"A{i:04d}" for i in range(1, n + 1)],
            "sex": list(sex),
            "age_band": list(age),
            "alarms_owned": _texts(owned),
            "years_at_address": _texts(years, rng, gaps=0.04),
            "children": _texts(children),
            "tenure": list(tenure),
            "accepted": ["yes" if one else "no" for one in accepted],
        }
    )


def _texts(values: NDArray[np.generic], rng: np.random.Generator | None = None, gaps: float = 0.0) -> list[str]:
    written = [f"{value:g}" for value in values.astype(np.float64)]
    if rng is None:
        return written
    return ["" if gap else one for one, gap in zip(written, rng.random(len(written)) < gaps, strict=True)]


def _csv(columns: dict[str, list[str]]) -> bytes:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(zip(*columns.values(), strict=True))
    return stream.getvalue().encode()


def _yaml(declaration: dict[str, object]) -> bytes:
    return yaml.safe_dump(declaration, sort_keys=False, allow_unicode=True).encode()
