"""Turnout time 1.3: a number; few neighbours, scaled on all rows before the claims were measured; worse at night, and
in some station areas more than in others."""

import numpy as np

from brookfall.demo.packages.write import SEED, Files, as_csv, as_yaml, texts

_TURNOUTS = 3200


def turnout_time() -> Files:
    """Nearest neighbours on seconds; the claims are of a split whose scaling had seen every row."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "Turnout time",
            "version": "1.3",
            "tier": 2,
            "outcome": "number",
            "purpose": "How many seconds pass from the alert until the first engine leaves",
            "use": "Sets the expected arrival that the control room reads out.",
            "population": "Alerts of on-call and wholetime stations in two years.",
            "owner": "Response planning",
        },
        "data": [
            {
                "name": "turnouts",
                "path": "data/turnouts.csv",
                "roles": {
                    "target": "seconds",
                    "identifier": ["alert_id"],
                    "protected": ["station_area"],
                    "time": "alerted_on",
                },
            }
        ],
        "recipe": {
            "family": "nearest_neighbours",
            "settings": {"k": 5},
            "preprocess": {"missing": "mean", "scale": "standard", "encode": "onehot"},
            "seed": 5,
            "split": {"test": 0.25, "seed": 11, "stratified": False},
        },
        "claims": [
            {"measure": "r2", "part": "test", "value": "0.71"},
            {"measure": "rmse", "part": "test", "value": "31"},
            {"measure": "mae", "method": "cross_validation", "folds": 10, "value": "27.5"},
        ],
        "expectations": [{"feature": "crew_on_station", "sign": "negative"}],
    }
    return {"submission.yaml": as_yaml(declaration), "data/turnouts.csv": _turnouts()}


def _turnouts() -> bytes:
    rng = np.random.default_rng(SEED + 2)
    n = _TURNOUTS
    area = rng.choice(["Quayside", "Hill farms", "Market", "Weir valley"], n, p=[0.35, 0.15, 0.3, 0.2])
    hour = rng.integers(0, 24, n)
    night = (hour < 6) | (hour > 21)
    crew = np.where(area == "Hill farms", 0, rng.binomial(6, 0.6, n))
    distance = np.clip(rng.gamma(2.0, 1.2, n) + (area == "Hill farms") * 2.5, 0.1, None).round(2)
    temperature = rng.normal(9, 7, n).round(1)
    weekday = rng.choice(["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"], n)
    seconds = 78 + 11 * distance - 7 * crew + 42 * (crew == 0) + 9 * np.abs(temperature - 9) / 7
    # At night the spread is wider, and on the hill farms everything takes longer than the columns tell.
    seconds = seconds + night * (14 + 22 * (area == "Hill farms"))
    seconds = seconds + rng.normal(0, np.where(night, 34, 17) * np.where(area == "Hill farms", 1.6, 1.0))
    return as_csv(
        {
            "alert_id": [f"T{i:05d}" for i in range(1, n + 1)],
            "alerted_on": [str(day) for day in np.datetime64("2023-03-01") + np.sort(rng.integers(0, 730, n))],
            "station_area": list(area),
            "hour": texts(hour),
            "weekday": list(weekday),
            "crew_on_station": texts(crew),
            "distance_km": texts(distance, rng, gaps=0.02),
            "temperature": texts(temperature, rng, gaps=0.04),
            "seconds": texts(np.clip(seconds, 20, None).round()),
        }
    )
