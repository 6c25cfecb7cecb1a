"""Shift: whether the parts, and any file of later rows, come from the same distribution as the training rows."""

from dataclasses import dataclass
from typing import TypedDict

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.domain_classifier import telling
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Scored
from brookfall.core.measure.shift import Shift, shift_of
from brookfall.core.resample.declared import Shares
from brookfall.core.table.change import read_as
from brookfall.core.table.table import Table

_TRAINING = Versus(part="training")
_LEAST = 20
"""Rows of either part without which nobody could tell them apart."""


class _About(TypedDict):
    model: str
    part: str
    feature: str
    versus: Versus


@dataclass(frozen=True)
class Moved:
    """A feature, where it is compared, and how far it moved from the training rows."""

    feature: str
    part: str
    shift: Shift


class PartShift(Check):
    name = "shift"
    title = "Shift between parts"
    question = 1
    source = (
        "Population stability index with its chance level (Yurdakul & Naranjo 2020); Kolmogorov–Smirnov; chi-square; "
        "a model that tells the parts apart."
    )
    outcomes = ANY_OUTCOME
    reads = Reads(plan=("policy.psi",), subject=("new_rows",))

    def sentence(self, about: About) -> Sentence:
        return say(
            "Compare the parts, and any later rows, feature by feature; see if a model can tell them apart.",
            "limit: PSI ≤ {psi}",
            psi=upper_limit(about, "psi", "Limit on the population stability index", 10),
        )

    def requests(self, bench: Bench) -> list[Need]:
        return [need for part in _unseen(bench) for need in _apart(bench, part)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        moved = moves(bench)
        draft = Draft(bench.plan.policy.level)
        limit = bench.plan.policy.psi
        places = [
            draft.add(
                "psi",
                one.shift.psi,
                model="data",
                part=one.part,
                feature=one.feature,
                versus=_TRAINING,
                # What differs between parts drawn here at random is chance, whatever its size.
                limit=None if one.part in bench.split.parts and _drawn_at_random(bench) else limit,
                standing=None
                if one.part in bench.split.parts and _drawn_at_random(bench)
                else _standing(one.shift, limit, 1 - (1 - draft.level) / max(1, len(moved))),
            )
            for one in moved
        ]
        rows = []
        for one, place in zip(moved, places, strict=True):
            n = one.shift.psi.n
            about = _About(model="data", part=one.part, feature=one.feature, versus=_TRAINING)
            distance = Figure(one.shift.distance, n, note="no interval: its p value stands beside it")
            told = draft.add("ks", distance, **about)
            alone = Figure(one.shift.p, n, note="a p value has no interval")
            p = draft.add("shift", alone, comparison="p_value", **about)
            ks = at(told) if one.shift.distance is not None else text("")
            rows.append((text(one.feature), text(one.part), at(place), text(f"{one.shift.critical:.4f}"), ks, at(p)))
        apart = {part: _told_apart(bench, ledger, part) for part in _unseen(bench)}
        tellers = {
            part: draft.add("auc", figure, model="teller", part=part, versus=_TRAINING)
            for part, figure in apart.items()
        }
        strip = pictures.ranking(
            "Population stability index against training rows, the largest first",
            "PSI",
            [(f"{one.feature}, {one.part}", place, one.part) for one, place in zip(moved, places, strict=True)],
        )
        tables = (
            TableView(
                title="Every feature; the critical value is passed in one of twenty when nothing shifted",
                columns=("feature", "part", "PSI", "critical", "KS distance", "p"),
                rows=tuple(rows),
            ),
            TableView(
                title="Can a model tell the parts apart? 0.5 is good: it can't",
                columns=("part", "AUC, boosted trees on a random half, judged on the other"),
                rows=tuple((text(part), at(place)) for part, place in tellers.items()),
            ),
        )
        answer = _answer(bench, draft, moved, places, tellers)
        return draft.write(answer, charts=(strip,) if moved else (), tables=tables)


def moves(bench: Bench) -> list[Moved]:
    """Every feature in every unseen part and file of new rows, the furthest moved first."""
    subject, training = bench.subject, bench.split.parts["training"]
    others: dict[str, Table] = {part: subject.table.take(bench.split.parts[part]) for part in _unseen(bench)}
    others |= dict(subject.new_rows)
    found = []
    for name in subject.features:
        before = subject.table.column(name)
        for part, table in others.items():
            if name in table:
                after = read_as(table.column(name), before.kind)
                found.append(Moved(name, part, shift_of(before.take(training), after)))
    return sorted(found, key=lambda one: -(one.shift.psi.value or 0.0))


def _standing(shift: Shift, limit: Limit, level: float) -> Standing | None:
    """Outside beyond both the limit and what chance makes of so many features; open beyond the limit alone; near within
    a tenth of it, as it has no interval; None where it can't be judged."""
    value = shift.psi.value
    if value is None or shift.psi.few:
        return None
    if value > limit.high:
        return Standing.OUTSIDE if value > shift.critical_at(level) else Standing.UNSETTLED
    return Standing.NEAR if value > 0.9 * limit.high and value > shift.critical_at(level) else Standing.WITHIN


def _drawn_at_random(bench: Bench) -> bool:
    return isinstance(bench.plan.parts, Shares) and bench.plan.parts.by == "rows"


def _unseen(bench: Bench) -> list[str]:
    return [part for part in bench.split.parts if part != "training"]


def _halves(bench: Bench, part: str) -> tuple[Rows, Rows]:
    """A random half of training and of the part to learn from, and the other half to judge on; both sorted."""
    rng = np.random.default_rng(seed_from(bench.plan.seed, "tell apart", part))
    learned, judged = [], []
    for name in ("training", part):
        rows = rng.permutation(bench.split.parts[name])
        learned.append(rows[: len(rows) // 2])
        judged.append(rows[len(rows) // 2 :])
    return np.sort(np.concatenate(learned)), np.sort(np.concatenate(judged))


def _apart(bench: Bench, part: str) -> list[Need]:
    if min(len(bench.split.parts[part]), len(bench.split.parts["training"])) < _LEAST:
        return []
    learned, judged = _halves(bench, part)
    return [Need(telling(bench, learned, bench.split.parts[part]), ScoreReading(judged))]


def _told_apart(bench: Bench, ledger: Ledger, part: str) -> Figure:
    needs = _apart(bench, part)
    if not needs:
        n = len(bench.split.parts[part]) + len(bench.split.parts["training"])
        return absent(n, f"under {_LEAST} rows in one of the parts")
    judged = needs[0].reading.rows
    hits = np.isin(judged, bench.split.parts[part])
    rows = Scored(key=needs[0].fit.seed_key, outcomes=hits, scores=ledger.scores(needs[0]), threshold=0.5)
    return measure("auc", rows)


def _answer(bench: Bench, draft: Draft, moved: list[Moved], places: list[int], tellers: dict[str, int]) -> list[str]:
    said = []
    over = [
        (one, place)
        for one, place in zip(moved, places, strict=True)
        if draft.standing(place) in (Standing.OUTSIDE, Standing.NEAR)
    ]
    if over:
        names = wording.listed(
            [f"'{one.feature}' ({one.part}, PSI {wording.number(one.shift.psi.value)})" for one, _ in over[:4]]
        )
        more = f" and {len(over) - 4} more" if len(over) > 4 else ""
        said.append(f"Moved away from the training rows: {names}{more}.")
    elif moved:
        first, standing = moved[0], draft.standing(places[0])
        opening = "No feature moved by more than its limit"
        if _drawn_at_random(bench):
            opening = "These parts were drawn at random here, so what moved between them is chance"
        elif not draft.worst():
            opening = "No feature is judged"
        if standing is Standing.UNSETTLED:
            opening = "Too few rows to tell whether a feature moved by more than its limit"
        said.append(
            f"{opening}; the furthest moved, '{first.feature}' in {first.part}, has a PSI of "
            f"{wording.number(draft.figure(places[0]).value)}, where up to {first.shift.critical:.3f} is chance."
        )
    for part, place in tellers.items():
        figure = draft.figure(place)
        interval = figure.interval(draft.level)
        if interval is None:
            continue
        can = "can" if interval[0] > 0.5 else "can't"
        said.append(
            f"A model {can} tell {part} from training rows: AUC {wording.figure(figure, draft.level)} on "
            f"{wording.rows(figure.n)}."
        )
    return said or ["No feature can be compared between these parts."]
