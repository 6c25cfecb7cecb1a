"""Visit slot choice 1.0: which of the offered slots a household takes; sound, with the signs that one would expect."""

import numpy as np

from brookfall.demo.packages.write import SEED, Files, as_csv, as_yaml, texts

_OFFERS = 1500
_SLOTS = ("weekday morning", "weekday afternoon", "weekday evening", "Saturday")
_CONSTANTS = np.array([0.0, 0.15, 0.55, 0.35])
_WAIT, _WINDOW, _REMINDER = -0.16, -0.42, 0.30


def visit_slot() -> Files:
    """A conditional logit in long form; evenings and Saturdays could not be had in every week."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Visit slot choice",
            "version": "1.0",
            "tier": 2,
            "outcome": "choice",
            "purpose": "Which of the slots offered for a safety visit a household takes",
            "use": "Sets how many crews are kept free in each slot of a week.",
            "population": "Households that were offered a visit in two years.",
            "owner": "Prevention analytics",
        },
        "data": [
            {
                "name": "offers",
                "path": "data/slots.csv",
                "roles": {
                    "target": "taken",
                    "positive": "1",
                    "occasion": "offer_id",
                    "alternative": "slot",
                    "available": "could_be_had",
                    "protected": ["age_band"],
                },
            }
        ],
        "recipe": {"family": "conditional_logit", "settings": {"constants": True}, "seed": 1},
        "claims": [{"measure": "hit_rate", "part": "test", "value": "0.62"}],
        "expectations": [
            {"feature": "wait_days", "sign": "negative"},
            {"feature": "window_hours", "sign": "negative"},
            {"feature": "reminder", "sign": "positive"},
        ],
    }
    return {"submission.yaml": as_yaml(declaration), "data/slots.csv": _slots()}


def _slots() -> bytes:
    rng = np.random.default_rng(SEED + 6)
    n, k = _OFFERS, len(_SLOTS)
    wait = rng.integers(1, 22, (n, k)).astype(np.float64)
    window = rng.choice([1.0, 2.0, 4.0], (n, k), p=[0.3, 0.4, 0.3])
    reminder = (rng.random((n, k)) < 0.5).astype(np.float64)
    there = np.column_stack([np.ones((n, 2), dtype=bool), rng.random((n, 2)) < [0.75, 0.6]])
    utility = _CONSTANTS + _WAIT * wait + _WINDOW * window + _REMINDER * reminder
    utility = np.where(there, utility + rng.gumbel(size=(n, k)), -np.inf)
    taken = utility.argmax(axis=1)[:, None] == np.arange(k)
    age = rng.choice(["under 65", "65 or over"], n, p=[0.62, 0.38])
    return as_csv(
        {
            "offer_id": [f"O{i:05d}" for i in range(1, n + 1) for _ in range(k)],
            "slot": list(_SLOTS) * n,
            "could_be_had": texts(there.ravel()),
            "wait_days": texts(wait.ravel()),
            "window_hours": texts(window.ravel()),
            "reminder": texts(reminder.ravel()),
            "age_band": [band for band in age for _ in range(k)],
            "taken": texts(taken.ravel()),
        }
    )
