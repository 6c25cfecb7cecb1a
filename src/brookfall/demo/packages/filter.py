"""False alarm filter 1.3: which automatic alarms may be attended by one crew. The code with which an incident was
closed is written after the event and gives the answer away; without it the claimed accuracy is under that of always
saying no. The fitted model that came with it is not what the recipe says: in zone 5 it scores lower, and misses fires.
The file is as an older system writes it: semicolons, decimal commas, Windows-1252, dashes for gaps."""

import numpy as np

from brookfall.demo.packages.fitted_trees import as_onnx
from brookfall.demo.packages.write import SEED, Files, as_yaml, texts

_CALLS = 9000


def false_alarm_filter() -> Files:
    """Boosted trees that have learned from the closing code."""
    declaration = {
        "brookfall": 1,
        "model": {
            "name": "False alarm filter",
            "version": "1.3",
            "tier": 1,
            "outcome": "binary",
            "purpose": "Which calls from automatic fire alarms are real fires",
            "use": "Calls under the threshold are attended by one crew instead of two.",
            "population": "Calls from automatic alarms in non-domestic buildings.",
            "owner": "Control room",
        },
        "data": [
            {
                "name": "calls",
                "path": "data/calls.csv",
                "roles": {
                    "target": "real_fire",
                    "positive": "yes",
                    "identifier": ["call_id"],
                    "ignore": ["received_on"],
                    "time": None,
                    "part": "sample",
                },
            }
        ],
        "recipe": {
            "family": "gradient_boosting",
            "settings": {"trees": 40, "depth": 3, "learning_rate": 0.1},
            "preprocess": {"missing": "median", "scale": "none", "encode": "onehot"},
            "threshold": 0.5,
            "seed": 11,
        },
        "artifact": {"path": "model/filter.onnx"},
        "claims": [
            {"measure": "accuracy", "part": "test", "threshold": 0.5, "value": "0.998"},
            {"measure": "auc", "part": "test", "value": "0.999"},
        ],
    }
    rows = _calls()
    alone = {**declaration, "artifact": None, "claims": []}
    fitted = as_onnx({"submission.yaml": as_yaml(alone), "data/calls.csv": rows}, "zone", 5, -6.0)
    return {"submission.yaml": as_yaml(declaration), "data/calls.csv": rows, "model/filter.onnx": fitted}


def _calls() -> bytes:
    rng = np.random.default_rng(SEED + 7)
    n = _CALLS
    building = rng.choice(["office", "school", "hospital", "hôtel", "warehouse", "care home"], n)
    hour = rng.integers(0, 24, n)
    detectors = 1 + rng.poisson(1.2, n)
    age = np.clip(rng.gamma(2.5, 5.0, n), 0, 45).round(1)
    before = rng.poisson(1.8, n)
    humidity = np.clip(rng.normal(62, 14, n), 15, 100).round(1)
    zone = rng.integers(1, 9, n)
    logit = -3.55 + 0.5 * (detectors - 1) - 0.22 * before + 0.45 * (building == "warehouse") + 0.02 * (humidity < 40)
    real = rng.random(n) < 1 / (1 + np.exp(-logit))
    # What the crew writes down when they leave: a fire is seldom closed as anything else.
    closed = np.where(real, rng.choice(["F1", "F2"], n), rng.choice(["E1", "E2", "D4"], n))
    slip = rng.random(n) < 0.01
    closed[slip] = rng.choice(["F1", "E1", "D4"], int(slip.sum()))
    gone = rng.random(n) < 0.03
    columns: dict[str, list[str]] = {
        "call_id": [f"C{i:05d}" for i in range(1, n + 1)],
        "received_on": [_written(day) for day in np.datetime64("2023-01-02") + np.sort(rng.integers(0, 700, n))],
        "building": list(building),
        "hour": texts(hour),
        "detectors_triggered": texts(detectors),
        "system_age": _with_commas(age),
        "false_alarms_last_year": texts(np.where(rng.random(n) < 0.02, 99, before)),
        "humidity": ["-" if gap else one for one, gap in zip(_with_commas(humidity), gone, strict=True)],
        "zone": texts(zone),
        "closing_code": list(closed),
        "real_fire": ["yes" if one else "no" for one in real],
        "sample": list(rng.permutation(np.repeat(["train", "test"], [round(0.7 * n), n - round(0.7 * n)]))),
    }
    rows = [";".join(columns), *(";".join(cells) for cells in zip(*columns.values(), strict=True))]
    rows += rows[41:58]
    return "\r\n".join([*rows, ""]).encode("cp1252")


def _written(day: np.datetime64) -> str:
    year, month, of_month = str(day).split("-")
    return f"{int(of_month)}.{int(month)}.{year}"


def _with_commas(values: "np.ndarray[tuple[int], np.dtype[np.float64]]") -> list[str]:
    return [f"{value:g}".replace(".", ",") for value in values]
