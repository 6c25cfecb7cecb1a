"""Pump failure 3.0: scores alone, without a recipe; and ten new cases with a perfect score."""

import numpy as np

from brookfall.demo.packages.write import SEED, Files, as_csv, as_yaml, texts

_TESTS = 1500
_NEW = 10


def pump_failure() -> Files:
    """The scores of a model that its maker keeps to itself, by key; the test part and ten new pumps."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Pump failure",
            "version": "3.0",
            "tier": 2,
            "outcome": "binary",
            "purpose": "Which pumps will fail their next yearly test",
            "use": "Pumps above the threshold are taken apart before the test.",
            "population": "Portable and vehicle pumps of all stations.",
            "owner": "Workshops",
        },
        "data": [
            {
                "name": "pumps",
                "path": "data/pumps.csv",
                "roles": {
                    "target": "failed",
                    "positive": "yes",
                    "identifier": ["pump_id"],
                    "part": "part",
                },
            }
        ],
        "predictions": [
            {
                "path": "predictions/scores.csv",
                "data": "pumps",
                "key": "pump_id",
                "score": "risk",
            }
        ],
        "claims": [
            {"measure": "auc", "part": "test", "value": "0.842"},
            {"measure": "accuracy", "part": "test", "threshold": 0.5, "value": "0.89"},
            {"measure": "auc", "part": "new pumps", "value": "1.00"},
        ],
    }
    data, scores = _pumps()
    return {"submission.yaml": as_yaml(declaration), "data/pumps.csv": data, "predictions/scores.csv": scores}


def _pumps() -> tuple[bytes, bytes]:
    rng = np.random.default_rng(SEED + 4)
    n = _TESTS
    part = np.array(["training"] * 1000 + ["test"] * (n - 1000 - _NEW) + ["new pumps"] * _NEW)
    hours = rng.gamma(2.0, 90, n).round()
    age = rng.integers(0, 22, n)
    leaks = rng.poisson(0.3, n)
    kind = rng.choice(["portable", "vehicle", "trailer"], n, p=[0.5, 0.35, 0.15])
    logit = -3.1 + 0.006 * hours + 0.09 * age + 0.7 * leaks
    failed = rng.random(n) < 1 / (1 + np.exp(-logit))
    failed[-_NEW:] = [True, False] * (_NEW // 2)
    guessed = logit + rng.normal(0, 0.9, n) + 0.8 * (part == "training") * (failed - 0.5)
    risk = 1 / (1 + np.exp(-guessed))
    risk[-_NEW:] = np.where(failed[-_NEW:], 0.8, 0.2) + rng.normal(0, 0.03, _NEW)
    keys = [f"P{i:04d}" for i in range(1, n + 1)]
    shuffled = rng.permutation(n)
    data = as_csv(
        {
            "pump_id": keys,
            "part": list(part),
            "kind": list(kind),
            "running_hours": texts(hours),
            "age_years": texts(age),
            "leaks_reported": texts(leaks),
            "failed": ["yes" if one else "no" for one in failed],
        }
    )
    scores = as_csv({"pump_id": [keys[i] for i in shuffled], "risk": [f"{risk[i]:.4f}" for i in shuffled]})
    return data, scores
