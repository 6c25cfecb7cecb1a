"""Labels: those that the data themselves contradict, and what leaving them out would change."""

from collections import Counter
from dataclasses import dataclass, replace

import numpy as np

from brookfall.core.check.bench import OUT_OF_FOLD, Bench, ScoredPart
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, SuspectList, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FitRequest, Labels, Need, Rows, ScoreReading
from brookfall.core.foundation import digest, wording
from brookfall.core.measure.confident_learning import (
    Contradicted,
    Noise,
    as_classes,
    contradicted,
    far_off,
    noise,
    noise_resampled,
)
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.row_losses import losses
from brookfall.core.measure.scored import AnyScored, Numbers, Scored, ScoredNumbers
from brookfall.core.resample.folds import Fold
from brookfall.core.submission.label_marks import outcome_of, problem_with

INNER_FOLDS = 5
_MOST_LISTED = 1_000
_MOST_CLASSES = 8
_SURE = 0.98
SCREENED, MARKED = "without suspects", "as marked"


class LabelCheck(Check):
    name = "labels"
    title = "Labels"
    question = 1
    source = (
        "Northcutt, Jiang & Chuang 2021 (confident joint); for numbers the modified z score beyond 3.5 (Iglewicz & "
        "Hoaglin 1993, from memory); Hall 1992 for the share of the error removed."
    )
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(marks=True)

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Look for rows whose outcome the other rows contradict; refit without them, and as they were marked, with "
            "the rows that are scored untouched."
        )

    def requests(self, bench: Bench) -> list[Need]:
        return [need for fold in bench.split.long_folds for need in _needs(bench, fold).values()]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        needs = [_needs(bench, fold) for fold in bench.split.long_folds]
        models = list(needs[0])
        scored = {
            model: bench.held_out(ledger, bench.split.long_folds, [one[model] for one in needs]) for model in models
        }
        plain = scored["recipe"]
        found, estimated = suspects_among(plain.scored)
        n = len(plain.positions)
        places = {"suspects": draft.add("share_of_suspects", proportion(len(found.rows), n), part=OUT_OF_FOLD)}
        if estimated is not None:
            key = digest.seed_from("noise", bench.plan.seed, n)
            places["wrong"] = draft.add("share_of_wrong_labels", noise_resampled(estimated, n, key), part=OUT_OF_FOLD)
        # Where nobody says at which score a row is positive, the squared error of its probability.
        undecided = isinstance(plain.scored, Scored) and not plain.scored.decides
        error = "mse" if bench.subject.outcome == "number" else "brier" if undecided else "error_rate"
        before = draft.add(error, measure(error, plain.scored), part=OUT_OF_FOLD)
        changes = {model: _change(draft, bench, plain, scored[model], model, error, before) for model in models[1:]}
        listed = SuspectList(
            title="Rows whose labels the other rows contradict, the strongest first",
            series="suspects",
            classes=() if isinstance(plain.scored, ScoredNumbers) else bench.subject.target.classes,
            part=OUT_OF_FOLD,
            found=len(found.rows),
        )
        tables = [_change_table(changes, n, _said_of_labels(bench))] if changes else []
        if estimated is not None and len(bench.subject.target.classes) <= _MOST_CLASSES:
            tables.append(_noise_table(draft, bench, estimated, n))
        answer = _answer(draft, places, found, changes, estimated, sure=_is_sure(plain.scored))
        return draft.write(
            [*answer, _of_another_outcome(bench)],
            charts=(_strip(changes), listed),
            series={"suspects": _listed(bench, plain, found)},
            tables=tuple(tables),
        )


def _needs(bench: Bench, fold: Fold) -> dict[str, Need]:
    """The recipe as it is, without the suspects among its training rows, and as the reviewer marked them."""
    fit, reading = bench.fit(fold.train), ScoreReading(fold.test)
    needs = {"recipe": Need(fit, reading), SCREENED: Need(replace(fit, screened=INNER_FOLDS), reading)}
    marked = as_marked(bench, fit)
    return needs if marked is None else {**needs, MARKED: Need(marked, reading)}


def as_marked(bench: Bench, fit: FitRequest) -> FitRequest | None:
    """The fit without the rows that were marked wrong, and with the labels that were corrected; None without marks.

    Marks of rows that are not training rows change nothing: what is scored keeps its label.
    """
    subject = bench.subject
    telling = [mark for mark in bench.marks if mark.verdict != "kept" and problem_with(mark, subject) is None]
    if not telling:
        return None
    places = subject.places_of(np.array([mark.row for mark in telling], dtype=np.int64)).tolist()
    wrong = [place for mark, place in zip(telling, places, strict=True) if mark.verdict == "wrong"]
    corrected = {
        place: outcome_of(mark, subject)
        for mark, place in zip(telling, places, strict=True)
        if mark.verdict == "corrected"
    }
    rows: Rows = np.array(sorted(corrected), dtype=np.int64)
    rows = rows[np.isin(rows, fit.train)]
    relabelled = Labels(rows, tuple(corrected[row] for row in rows.tolist())) if len(rows) else None
    return replace(fit, train=fit.train[~np.isin(fit.train, wrong)], relabelled=relabelled)


def _of_another_outcome(bench: Bench) -> str:
    """What is to be said of marks from before the target was changed; nothing where there are none."""
    count = sum(problem_with(mark, bench.subject) is not None for mark in bench.marks)
    if not count:
        return ""
    many = count > 1
    take = "s of another outcome or row take" if many else " of another outcome or row takes"
    return f"{wording.count(count)} mark{take} no part."


def suspects_among(rows: AnyScored) -> tuple[Contradicted, Noise | None]:
    """The suspects among unseen rows, and of classes the estimated noise."""
    if isinstance(rows, ScoredNumbers):
        return far_off(rows.outcomes, rows.predictions), None
    labels = rows.outcomes.astype(np.int64)
    scores = rows.scores
    if scores is None:
        raise ValueError("labels are checked by probabilities")
    probabilities = as_classes(scores)
    return contradicted(labels, probabilities), noise(labels, probabilities)


def _is_sure(rows: AnyScored) -> bool:
    """Whether nearly all probability lies on one class of every row, as with leaves of one row."""
    if isinstance(rows, ScoredNumbers) or rows.scores is None:
        return False
    return float(as_classes(rows.scores).max(axis=1).mean()) > _SURE


@dataclass(frozen=True)
class _Change:
    """Places of the error with and without, and of the share of it that is removed."""

    model: str
    error: str
    before: int
    after: int
    removed: int


def _change(
    draft: Draft, bench: Bench, plain: ScoredPart, other: ScoredPart, model: str, name: str, before: int
) -> _Change:
    """The same unseen rows, labels untouched, scored by fits that learned from fewer or other labels."""
    removed = share_removed(_losses(bench, plain, name), _losses(bench, other, name), plain.scored)
    return _Change(
        model,
        name,
        before,
        draft.add(name, measure(name, other.scored), model=model, part=OUT_OF_FOLD),
        draft.add("share_of_error_removed", removed, model=model, part=OUT_OF_FOLD, versus=Versus(model="recipe")),
    )


def _losses(bench: Bench, rows: ScoredPart, name: str) -> Numbers:
    scored = rows.scored
    scores = scored.predictions if isinstance(scored, ScoredNumbers) else scored.scores
    if scores is None:
        raise ValueError("losses need scores")
    return losses(bench.subject.target, rows.positions, scores[:, None], bench.subject.threshold)[name][:, 0]


def share_removed(before: Numbers, after: Numbers, rows: AnyScored) -> Figure:
    """(e₀ − e₁)/e₀ of the losses (n,) of the same rows, with an interval.

    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(1000), predictions=np.zeros(1000))
    >>> before, after = np.repeat([1.0, 0.0], [208, 792]), np.repeat([1.0, 0.0], [131, 869])
    >>> round(share_removed(before, after, rows).value, 3)
    0.37
    """
    first, second = mean_of(before, rows.counted), mean_of(after, rows.counted)
    if first.value <= 0:
        return Figure(None, len(rows), note="there is no error to remove")
    left = ratio_of(second, first)
    return figure_of(Linear(1 - left.value, -left.influence), rows).marked(few=rows.few)


def _listed(bench: Bench, rows: ScoredPart, found: Contradicted) -> Series:
    """The suspects' rows, labels, suggestions, and how probable these are."""
    chosen, scored = found.rows[:_MOST_LISTED], rows.scored
    labels = scored.outcomes[chosen].astype(np.float64)
    suggested = found.suggested[chosen]
    if isinstance(scored, ScoredNumbers) or scored.scores is None:
        probability = found.margin[chosen]
    else:
        probability = as_classes(scored.scores)[chosen, suggested.astype(np.int64)]
    return {
        "row": rows.positions[chosen].astype(np.float64).tolist(),
        "submitted": bench.subject.submitted_rows(rows.positions[chosen]).astype(np.float64).tolist(),
        "label": labels.tolist(),
        "suggested": suggested.tolist(),
        "probability": probability.tolist(),
        "margin": found.margin[chosen].tolist(),
    }


def _strip(changes: dict[str, _Change]) -> StripChart:
    first = next(iter(changes.values()))
    rows = [StripRow(estimate=first.before, label="all labels as given", colour="recipe")]
    rows += [StripRow(estimate=one.after, label=one.model, colour="challenger") for one in changes.values()]
    words = wording.capital(words_of(first.error))
    return StripChart(
        title="Unseen rows, their labels untouched, by what the recipe learned from",
        unit="",
        groups=(StripGroup(label=words, rows=tuple(rows)),),
    )


def _said_of_labels(bench: Bench) -> str:
    """How many labels were marked as what."""
    counts = Counter(mark.verdict for mark in bench.marks)
    return ", ".join(f"{wording.count(counts[verdict])} {verdict}" for verdict in ("wrong", "corrected", "kept"))


def _change_table(changes: dict[str, _Change], n: int, said: str) -> TableView:
    error = words_of(next(iter(changes.values())).error)
    return TableView(
        title=f"What cleaning the training rows changes on {wording.rows(n)} unseen, their labels untouched",
        columns=("training rows", f"{error}, all labels", f"{error}, so cleaned", "share of the error removed"),
        rows=tuple(
            (
                text(f"{one.model} ({said})" if one.model == MARKED else one.model),
                at(one.before),
                at(one.after),
                at(one.removed),
            )
            for one in changes.values()
        ),
    )


def _noise_table(draft: Draft, bench: Bench, estimated: Noise, n: int) -> TableView:
    """How rows of every true class are labelled, as the confident joint estimates it."""
    classes = bench.subject.target.classes
    shares = estimated.labelled_given_true
    truly = np.round(estimated.joint.sum(axis=0) * n)

    def figure(label: int, true: int) -> Figure:
        if not np.isfinite(shares[label, true]):
            return Figure(None, 0, note="no row is estimated to be of this class")
        return Figure(
            float(shares[label, true]),
            int(truly[true]),
            note="estimated from probabilities, with no interval of its own",
        )

    return TableView(
        title="Noise matrix: of rows truly of a class (down), the share that is labelled so (across)",
        columns=("truly", *classes),
        rows=tuple(
            (
                text(name),
                *(
                    at(draft.add("labelled_share", figure(label, true), class_=name, group={"label": classes[label]}))
                    for label in range(len(classes))
                ),
            )
            for true, name in enumerate(classes)
        ),
    )


def _answer(
    draft: Draft,
    places: dict[str, int],
    found: Contradicted,
    changes: dict[str, _Change],
    estimated: Noise | None,
    *,
    sure: bool,
) -> list[str]:
    n = draft.figure(places["suspects"]).n
    count = len(found.rows)
    if not count:
        said = [f"None of {wording.rows(n)} has a label that the other rows contradict."]
    else:
        share = wording.figure_to(_percent(draft.figure(places["suspects"])), draft.level, 1)
        what = "an outcome far from" if estimated is None else "a label contradicted by"
        said = [
            f"{wording.count(count)} of {wording.rows(n)} {'has' if count == 1 else 'have'} {what} what the other rows "
            f"say: {share} %."
        ]
    for one in changes.values():
        removed = draft.figure(one.removed)
        if removed.value is None or (one.model == SCREENED and not count):
            continue
        interval = removed.interval(draft.level)
        how = "without suspects" if one.model == SCREENED else "from the labels as marked"
        told = wording.figure_to(_percent(removed), draft.level, 1)
        clear = interval is not None and (interval[0] > 0 or interval[1] < 0)
        said.append(
            f"Learning {how} removes {told} % of the error on unseen rows"
            + ("." if clear else ", which can't be told from none.")
        )
    if "wrong" in places and count:
        wrong = _percent(draft.figure(places["wrong"]))
        said.append(f"Estimated share of wrong labels: {wording.figure_to(wrong, draft.level, 1)} %.")
    if sure and count:
        said.append(
            "The recipe's probabilities are all but 0 or 1, so every row that it gets wrong is listed: read it as its "
            "errors."
        )
    return said


def _percent(figure: Figure) -> Figure:
    return figure.mapped(lambda value: 100 * value)
