"""Smoke alarm take-up 2.1: sound and small; and offers of a later quarter, whose outcomes are known by now."""

import numpy as np

from brookfall.demo.packages.write import SEED, Files, as_csv, as_yaml, texts

_ALARMS, _LATER = 1400, 40


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
    return {"submission.yaml": as_yaml(declaration), "data/offers.csv": as_csv(_offers(_ALARMS, SEED + 1, "A"))}


def later_offers() -> bytes:
    """Offers of a later quarter: some homes of a kind of tenure that nobody had when the model was fitted."""
    offers = _offers(_LATER, SEED + 101, "B")
    offers["tenure"] = ["shared owner" if place % 13 == 5 else one for place, one in enumerate(offers["tenure"])]
    return as_csv(offers)


def _offers(n: int, seed: int, series: str) -> dict[str, list[str]]:
    rng = np.random.default_rng(seed)
    sex = rng.choice(["female", "male"], n)
    age = rng.choice(["18-39", "40-64", "65+"], n, p=[0.3, 0.4, 0.3])
    owned = rng.poisson(1.1, n)
    years = np.clip(rng.gamma(2.0, 5.0, n), 0, 45).round(1)
    children = rng.poisson(0.7, n)
    tenure = rng.choice(["owner", "private tenant", "council tenant"], n, p=[0.5, 0.25, 0.25])
    logit = 0.3 - 1.05 * owned + 0.035 * years + 0.55 * children + 0.7 * (tenure == "council tenant")
    accepted = rng.random(n) < 1 / (1 + np.exp(-logit))
    return {
        "offer_id": [f"{series}{i:04d}" for i in range(1, n + 1)],
        "sex": list(sex),
        "age_band": list(age),
        "alarms_owned": texts(owned),
        "years_at_address": texts(years, rng, gaps=0.04),
        "children": texts(children),
        "tenure": list(tenure),
        "accepted": ["yes" if one else "no" for one in accepted],
    }
