"""How often each interval of 95 % holds the truth, by simulation; written to docs/coverage.md.

The truth is the measure's value on two million rows of the same made-up population. Only figures that may be judged
are counted: those marked too few to judge are shown to a reader and never weighed. Run with ``make bench-coverage``.
"""

import json
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from scipy.special import expit, logit, softmax

from brookfall.core.measure.counts import share_rows
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference, ratio_of_shares, share_of
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.rank_measures import DEPTH, rank_value
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses, ScoredNumbers

LARGE = 2_000_000
LEVEL = 0.95
SIMULATIONS = 1000
_ROOT = Path(__file__).resolve().parents[1]
PAGE = _ROOT / "docs" / "coverage.md"
DATA = _ROOT / "src" / "brookfall" / "core" / "check" / "coverage.json"

BINARY = (
    "accuracy",
    "recall",
    "precision",
    "selection_rate",
    "balanced_accuracy",
    "f1",
    "mcc",
    "kappa",
    "auc",
    "average_precision",
    "ks",
    "lift_at_20",
    "brier",
    "log_loss",
    "calibration_slope",
    "calibration_intercept",
    "mean_score",
)
CLASSES = ("accuracy", "balanced_accuracy", "precision", "f1", "kappa", "mcc", "auc", "auc_ovr", "log_loss", "brier")
RANKS = frozenset({"average_precision", "ks", "lift_at_20"})
NUMBERS = ("mse", "rmse", "mae", "r2", "bias", "mean_score")


@dataclass(frozen=True)
class Population:
    """A made-up population: how to draw n rows of it, and what to measure."""

    name: str
    names: tuple[str, ...]
    draw: Callable[[int, np.random.Generator], AnyScored]
    sizes: tuple[int, ...]


def _scores(y: np.ndarray, rate: float, noise: np.ndarray, sharp: float = 1.4) -> np.ndarray:
    return expit(logit(rate) + sharp * (sharp * (y - rate) + noise) / 1.3)


def binary(rate: float, n: int, rng: np.random.Generator, *, sharp: float = 1.4) -> Scored:
    y = rng.random(n) < rate
    s = _scores(y, rate, rng.normal(size=n), sharp)
    # Decided so that about as many are selected as are positive.
    return Scored(key=f"{rng.integers(2**40)}", outcomes=y, scores=s, threshold=float(expit(logit(rate) + 0.2)))


def half(n: int, rng: np.random.Generator) -> Scored:
    return binary(0.5, n, rng)


def tenth(n: int, rng: np.random.Generator) -> Scored:
    return binary(0.1, n, rng)


def fiftieth(n: int, rng: np.random.Generator) -> Scored:
    return binary(0.02, n, rng)


def near_perfect(n: int, rng: np.random.Generator) -> Scored:
    return binary(0.3, n, rng, sharp=3.2)


def weighted(n: int, rng: np.random.Generator) -> Scored:
    rows = binary(0.3, n, rng)
    weights = np.exp(rng.normal(0.4 * rows.outcomes, 0.6))
    return Scored(key=rows.key, outcomes=rows.outcomes, scores=rows.scores, threshold=rows.threshold, weights=weights)


def clustered(n: int, rng: np.random.Generator) -> Scored:
    """Clusters of one to nine rows that share much of their outcome and of their score."""
    clusters = np.repeat(np.arange(n), rng.integers(1, 10, n))[:n]
    shared = rng.normal(size=clusters.max() + 1)[clusters]
    y = rng.normal(size=n) * 0.8 + shared * 0.6 > 0.5
    s = _scores(y, 0.3, 0.6 * rng.normal(size=clusters.max() + 1)[clusters] + 0.8 * rng.normal(size=n))
    return Scored(key=f"{rng.integers(2**40)}", outcomes=y, scores=s, threshold=0.35, clusters=clusters)


def classes(n: int, rng: np.random.Generator) -> ScoredClasses:
    y = rng.choice(4, n, p=[0.45, 0.3, 0.15, 0.1])
    scores = softmax(1.3 * np.eye(4)[y] + rng.normal(size=(n, 4)) + np.log([0.45, 0.3, 0.15, 0.1]), axis=1)
    return ScoredClasses(
        key=f"{rng.integers(2**40)}", outcomes=y, decisions=scores.argmax(axis=1), classes=tuple("abcd"), scores=scores
    )


def normal_numbers(n: int, rng: np.random.Generator) -> ScoredNumbers:
    y = rng.normal(size=n)
    return ScoredNumbers(key="numbers", outcomes=y, predictions=0.8 * y + rng.normal(0.1, 0.6, n))


def skewed_numbers(n: int, rng: np.random.Generator) -> ScoredNumbers:
    p = rng.gamma(2.0, 1.0, n)
    return ScoredNumbers(key="numbers", outcomes=p * rng.gamma(3.0, 1 / 3, n), predictions=p)


POPULATIONS = (
    Population("positive 50 %", BINARY, half, (30, 60, 200, 1000, 5000)),
    Population("positive 10 %", BINARY, tenth, (60, 200, 1000, 5000)),
    Population("positive 2 %", BINARY, fiftieth, (400, 1000, 5000)),
    Population("near perfect", BINARY, near_perfect, (40, 200, 1000)),
    Population("weights", BINARY, weighted, (60, 200, 1000)),
    Population("clusters", BINARY, clustered, (150, 500, 2000)),
    Population("four classes", CLASSES, classes, (100, 300, 1000, 5000)),
    Population("normal numbers", NUMBERS, normal_numbers, (30, 100, 1000)),
    Population("skewed numbers", NUMBERS, skewed_numbers, (30, 100, 1000, 5000)),
)


@dataclass
class Tally:
    """How many intervals were judged, held the truth, and lay wholly above or below it."""

    judged: int = 0
    held: int = 0
    above: int = 0
    below: int = 0

    def add(self, figure: Figure, truth: float) -> None:
        interval = figure.interval(LEVEL)
        if figure.value is None or interval is None or figure.few:
            return
        self.judged += 1
        self.above += interval[0] > truth
        self.below += interval[1] < truth
        self.held += interval[0] <= truth <= interval[1]

    @property
    def coverage(self) -> float:
        return self.held / self.judged


@cache
def truths_of(place: int) -> dict[str, float]:
    """The true values, from many rows; once a process."""
    population = POPULATIONS[place]
    large = population.draw(LARGE, np.random.default_rng(99))
    return {name: value_of(name, large) for name in population.names}


def value_of(name: str, rows: AnyScored) -> float:
    """The value of a measure alone; of ranks without their bootstrap."""
    if name == "lift_at_20" and isinstance(rows, Scored):
        return rank_value("gain_at_20", rows) / DEPTH
    if name in RANKS and isinstance(rows, Scored):
        return rank_value(name, rows)
    return measure(name, rows).value or 0.0


def simulate(job: tuple[int, int, int]) -> dict[tuple[str, int, str], Tally]:
    """One population at one size."""
    place, n, simulations = job
    population = POPULATIONS[place]
    truths = truths_of(place)
    rng = np.random.default_rng([7, place, n])
    found = {name: Tally() for name in population.names}
    for run in range(simulations):
        rows = population.draw(n, rng)
        for name in population.names:
            # The measures of ranks cost a bootstrap each: fewer samples of them.
            if name not in RANKS or run < simulations * 0.3:
                found[name].add(measure(name, rows), truths[name])
    return {(population.name, n, name): tally for name, tally in found.items()}


def pairs(job: tuple[int, int]) -> dict[tuple[str, int, str], Tally]:
    """Comparisons: two models on the same rows, two groups of rows, at one size."""
    n, simulations = job
    rng = np.random.default_rng([8, n])
    names = ("accuracy", "auc", "brier", "f1")
    found: dict[str, Tally] = {}

    def draw(size: int) -> tuple[Scored, Scored]:
        first = tenth(size, rng) if n >= 300 else half(size, rng)
        noisy = expit(logit(first.scores) + rng.normal(0, 0.8, size))
        second = Scored(key=f"{first.key}'", outcomes=first.outcomes, scores=noisy, threshold=first.threshold)
        return first, second

    large, other = draw(LARGE)
    truths = {name: (measure(name, large).value or 0) - (measure(name, other).value or 0) for name in names}
    rates = [share_of(*reversed(share_rows("selection_rate", rows))).value for rows in (large, other)]
    for _ in range(simulations):
        first, second = draw(n)
        apart = draw(n // 2)[1]
        for name in names:
            found.setdefault(f"{name}, same rows", Tally()).add(paired(name, first, second), truths[name])
            unlike = independent_difference(measure(name, first), measure(name, apart))
            found.setdefault(f"{name}, other rows", Tally()).add(unlike, truths[name])
        shares = [share_of(*reversed(share_rows("selection_rate", rows))) for rows in (first, apart)]
        ratio = ratio_of_shares(*shares)
        found.setdefault("ratio of selection rates", Tally()).add(ratio, rates[0] / rates[1])
    return {("comparisons", n, name): tally for name, tally in found.items()}


def main() -> None:
    simulations = int(sys.argv[1]) if len(sys.argv) > 1 else SIMULATIONS
    jobs = [(place, n, simulations) for place, one in enumerate(POPULATIONS) for n in one.sizes]
    found: dict[tuple[str, int, str], Tally] = {}
    with ProcessPoolExecutor(2) as pool:
        done = [pool.submit(simulate, job) for job in sorted(jobs, key=lambda job: -job[1])]
        done += [pool.submit(pairs, (n, simulations)) for n in (60, 300, 2000)]
        for one in done:
            found |= one.result()
    written = page(found, simulations)
    PAGE.write_text(written, encoding="utf-8")
    DATA.write_text(json.dumps(by_measure(written), indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
    low = {key: tally for key, tally in found.items() if tally.judged >= simulations / 4 and tally.coverage < 0.93}
    for key, tally in sorted(low.items(), key=lambda pair: pair[1].coverage):
        print(key, f"{tally.coverage:.3f} of {tally.judged}; too high {tally.above}, too low {tally.below}")


def page(found: dict[tuple[str, int, str], Tally], simulations: int) -> str:
    """The tables, a population each."""
    lines = [
        "# How often the intervals hold the truth",
        "",
        f"Made by `make bench-coverage`: {simulations} simulated samples of each size; the share of 95 % intervals "
        "that hold the true value, among those that may be judged (30 rows, 5 events and 5 non-events, 10 clusters). "
        f"A share of {simulations} has a standard error of {100 * (0.95 * 0.05 / simulations) ** 0.5:.1f} points. "
        "In brackets: how many samples were judged, where not all. Under 93 % in bold.",
        "",
        "What is left in bold: squared errors and R² of numbers with very heavy tails and few rows (no method tried "
        "held better); KS and average precision with about 20 positives; the calibration intercept where just about "
        "the 20 events are expected that it takes to be judged, since those with more are judged.",
        "",
    ]
    for population in dict.fromkeys(name for name, _, _ in found):
        sizes = sorted({n for name, n, _ in found if name == population})
        names = dict.fromkeys(measure_ for name, _, measure_ in found if name == population)
        lines += [f"## {population[:1].upper()}{population[1:]}", ""]
        lines += ["| measure | " + " | ".join(f"n {n}" for n in sizes) + " |", "|---|" + "---|" * len(sizes)]
        for name in names:
            cells = [_cell(found.get((population, n, name)), simulations) for n in sizes]
            lines.append(f"| {name.replace('_', ' ')} | " + " | ".join(cells) + " |")
        lines.append("")
    return "\n".join(lines)


def by_measure(written: str) -> dict[str, dict[str, dict[str, str]]]:
    """The page's shares by measure, population and number of rows, as the page of methods shows them beside each."""
    found: dict[str, dict[str, dict[str, str]]] = {}
    population, sizes = "", [""]
    for line in written.splitlines():
        cells = [cell.strip() for cell in line.strip("|").split("|")]
        if line.startswith("## "):
            population = line.removeprefix("## ")
        elif cells[0] == "measure":
            sizes = [cell.removeprefix("n ") for cell in cells[1:]]
        elif line.startswith("| "):
            shares = {size: cell.replace("*", "") for size, cell in zip(sizes, cells[1:], strict=True)}
            found.setdefault(cells[0].replace(" ", "_"), {})[population] = shares
    return found


def _cell(tally: Tally | None, simulations: int) -> str:
    if tally is None or tally.judged < simulations / 20:
        return "not judged"
    shown = f"{100 * tally.coverage:.1f} %"
    shown = f"**{shown}**" if tally.coverage < 0.93 else shown
    return shown if tally.judged == simulations else f"{shown} ({tally.judged})"


if __name__ == "__main__":
    main()
