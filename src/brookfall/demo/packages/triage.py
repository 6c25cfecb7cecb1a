"""Cause triage 0.9: five causes of a fire, about 12 % of them recorded wrongly."""

import numpy as np

from brookfall.demo.packages.write import SEED, Files, as_csv, as_yaml, texts

_FIRES = 2600
_CAUSES = ("cooking", "deliberate", "electrical", "heating", "smoking materials")
_WRONG = 0.12


def cause_triage() -> Files:
    """A forest over five causes; its claims were measured on the labels as they were recorded."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Cause triage",
            "version": "0.9",
            "tier": 2,
            "outcome": "multiclass",
            "purpose": "Which cause an investigator should look for first",
            "use": "Orders the questions of the first report; an investigator decides.",
            "population": "Fires in dwellings with a recorded cause.",
            "owner": "Fire investigation",
        },
        "data": [
            {
                "name": "fires",
                "path": "data/fires.csv",
                "roles": {"target": "cause", "identifier": ["fire_id"], "group": "station"},
            }
        ],
        "recipe": {
            "family": "forest",
            "settings": {"trees": 60, "depth": 9, "rows_per_leaf": 3},
            "preprocess": {"missing": "median", "scale": "none", "encode": "onehot"},
            "seed": 4,
            "split": {"test": 0.3, "seed": 4, "stratified": True},
        },
        "claims": [
            {"measure": "accuracy", "part": "test", "value": "0.77"},
            {"measure": "balanced_accuracy", "part": "test", "value": "0.74"},
            {"measure": "recall", "class": "deliberate", "part": "test", "value": "0.70"},
        ],
    }
    return {"submission.yaml": as_yaml(declaration), "data/fires.csv": _fires()}


def _fires() -> bytes:
    rng = np.random.default_rng(SEED + 3)
    n = _FIRES
    cause = rng.choice(5, n, p=[0.38, 0.1, 0.22, 0.14, 0.16])
    hour = (rng.normal(np.array([18, 1, 13, 8, 23])[cause], 3.2, n).round() % 24).astype(int)
    room = np.empty(n, dtype="<U12")
    rooms = ("kitchen", "hall", "living room", "bedroom", "outside")
    shares = np.array(
        [
            [0.84, 0.03, 0.08, 0.04, 0.01],
            [0.05, 0.3, 0.1, 0.1, 0.45],
            [0.3, 0.17, 0.3, 0.2, 0.03],
            [0.12, 0.1, 0.55, 0.2, 0.03],
            [0.05, 0.05, 0.4, 0.43, 0.07],
        ]
    )
    for place in range(5):
        chosen = cause == place
        room[chosen] = rng.choice(rooms, int(chosen.sum()), p=shares[place])
    month = np.where(cause == 3, rng.choice([11, 12, 1, 2], n), rng.integers(1, 13, n))
    wiring = np.clip(rng.normal(np.where(cause == 2, 48, 27), 13, n), 0, 110).round()
    seats = 1 + rng.binomial(3, np.where(cause == 1, 0.5, 0.06))
    alarm = rng.random(n) < np.where(cause == 0, 0.75, 0.5)
    recorded = np.where(rng.random(n) < _WRONG, (cause + rng.integers(1, 5, n)) % 5, cause)
    return as_csv(
        {
            "fire_id": [f"F{i:04d}" for i in range(1, n + 1)],
            "station": [f"station {i:02d}" for i in rng.integers(1, 61, n)],
            "room": list(room),
            "hour": texts(hour),
            "month": texts(month),
            "age_of_wiring": texts(wiring, rng, gaps=0.08),
            "seats_of_fire": texts(seats),
            "alarm_raised": ["yes" if one else "no" for one in alarm],
            "cause": [_CAUSES[code] for code in recorded],
        }
    )
