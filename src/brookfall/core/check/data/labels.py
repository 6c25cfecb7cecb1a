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
)
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.row_losses import losses
from brookfall.core.measure.scored import AnyScored, Numbers, Scored, ScoredNumbers
from brookfall.core.measure.wrong_labels import at_most_wrong, wrong_in_sample
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
        "Northcutt, Jiang & Chuang 2021 (confident joint); Wilson 1927 for the bounds; for numbers the modified z "
        "score beyond 3.5 (Iglewicz & Hoaglin 1993, from memory); Hall 1992 for the share of the error removed."
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
        drawn = np.zeros(0, dtype=np.int64)
        if not isinstance(plain.scored, ScoredNumbers):
            drawn = _drawn(bench, found, n)
            places |= _bounds(bench, draft, plain, found, drawn)
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
            sample="suspects:sample" if len(drawn) else "",
        )
        corrected = _against_corrected(bench, draft, plain, error)
        tables = [_change_table(changes, n, _said_of_labels(bench))] if changes else []
        if estimated is not None and len(bench.subject.target.classes) <= _MOST_CLASSES:
            tables.append(_noise_table(draft, bench, estimated, n))
        series = {"suspects": _listed(bench, plain, found, found.rows[:_MOST_LISTED])}
        if len(drawn):
            series["suspects:sample"] = _listed(bench, plain, found, drawn)
        answer = _answer(draft, places, found, changes, numbers=estimated is None, sure=_is_sure(plain.scored))
        return draft.write(
            answer,
            lines=(
                *_bound_lines(draft, places, len(drawn)),
                "Unseen rows have wrong labels too, and count here as they are labelled." if len(found.rows) else "",
                corrected,
                _of_another_outcome(bench),
            ),
            charts=(_strip(changes), listed),
            series=series,
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


_SAMPLED = 40
"""Rows to mark among the suspects, and among the others."""


def _drawn(bench: Bench, found: Contradicted, n: int) -> Rows:
    """Places of rows drawn at random among the suspects and among the others, in random order."""
    rng = np.random.default_rng(digest.seed_from("labels to mark", bench.plan.seed, n))
    others = np.setdiff1d(np.arange(n), found.rows)
    strata = [np.sort(found.rows), others]
    chosen = [rng.choice(rows, min(_SAMPLED, len(rows)), replace=False) for rows in strata]
    return rng.permutation(np.concatenate(chosen)).astype(np.int64)


def _bounds(bench: Bench, draft: Draft, plain: ScoredPart, found: Contradicted, drawn: Rows) -> dict[str, int]:
    """Between what the share of wrong labels lies, and its value where the whole random sample is marked."""
    rows, n = plain.scored, len(plain.positions)
    if isinstance(rows, ScoredNumbers) or rows.scores is None:
        return {}
    most = at_most_wrong(rows.outcomes.astype(np.int64), as_classes(rows.scores), draft.level)
    taken = sum(one.rows for one in most.by_class)
    told = f"an upper bound at {wording.level_in_percent(draft.level)}, with no interval of its own"
    places = {
        "most": draft.add(
            "share_of_wrong_labels_at_most", Figure(most.at_most, taken, "surest_rows", note=told), part=OUT_OF_FOLD
        )
    }
    said = {mark.row: mark.verdict for mark in bench.marks if problem_with(mark, bench.subject) is None}
    verdicts = [said.get(int(row)) for row in bench.subject.submitted_rows(plain.positions)]
    proven = sum(verdict in _WRONG for verdict in verdicts)
    least = Figure(proven / n, n, "marked_rows", note="what marks prove, with no interval")
    places["least"] = draft.add("share_of_wrong_labels_at_least", least, part=OUT_OF_FOLD)
    if all(verdicts[place] is not None for place in drawn.tolist()):
        suspects = set(found.rows.tolist())
        strata = []
        for size, inside in ((len(suspects), True), (n - len(suspects), False)):
            mine = [place for place in drawn.tolist() if (place in suspects) is inside]
            strata.append((size, len(mine), sum(verdicts[place] in _WRONG for place in mine)))
        places["sampled"] = draft.add("share_of_wrong_labels", wrong_in_sample(*strata), part=OUT_OF_FOLD)
    return places


_WRONG = ("wrong", "corrected")


def _bound_lines(draft: Draft, places: dict[str, int], drawn: int) -> tuple[str, ...]:
    """Between what the share of wrong labels lies, and how a value is had."""
    if "most" not in places:
        return ()
    most, least = draft.figure(places["most"]), draft.figure(places["least"])
    between = (
        f"Between {wording.percent(least.value)} and {wording.percent(most.value)} of labels are wrong: what marks "
        f"prove, and what {wording.rows(most.n)} surest of their class leave possible."
    )
    if "sampled" in places:
        sampled = wording.figure_to(_percent(draft.figure(places["sampled"])), draft.level, 1)
        return (f"Of the {drawn} rows drawn at random {sampled} % of all labels are estimated to be wrong.", between)
    return (between, f"Mark the {drawn} rows drawn at random below to have the share itself, with its interval.")


def _against_corrected(bench: Bench, draft: Draft, plain: ScoredPart, name: str) -> str:
    """What the error of the submitted recipe is where marked labels are as corrected and wrong ones are left out."""
    subject = bench.subject
    telling = [one for one in bench.marks if one.verdict in _WRONG and problem_with(one, subject) is None]
    if not telling:
        return ""
    places = subject.places_of(np.array([mark.row for mark in telling], dtype=np.int64))
    values = subject.target.values.copy()
    dropped = np.zeros(len(values), dtype=np.bool_)
    for mark, place in zip(telling, places.tolist(), strict=True):
        if place >= 0 and mark.verdict == "corrected":
            values[place] = np.array(outcome_of(mark, subject)).astype(values.dtype)
        elif place >= 0:
            dropped[place] = True
    target = replace(subject.target, values=values)
    kept = ~dropped[plain.positions]
    scored = plain.scored
    scores = scored.predictions if isinstance(scored, ScoredNumbers) else scored.scores
    if scores is None or not kept.any():
        return ""
    rows = subject.scored(plain.positions[kept], scores[kept], f"{scored.key}/as marked", target=target)
    place = draft.add(name, measure(name, rows), model="marked", part=OUT_OF_FOLD)
    told = wording.figure(draft.figure(place), draft.level)
    return f"Against the labels as marked the {words_of(name)} of the submitted recipe is {told}."


def _listed(bench: Bench, rows: ScoredPart, found: Contradicted, chosen: Rows) -> Series:
    """The labels of chosen rows, what each would rather be, and how probable that is."""
    scored = rows.scored
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
        title="Noise matrix, overlap of the classes counted in: of rows truly of a class (down), the share labelled so "
        "(across)",
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
    *,
    numbers: bool,
    sure: bool,
) -> list[str]:
    n = draft.figure(places["suspects"]).n
    count = len(found.rows)
    if not count:
        said = [f"None of {wording.rows(n)} has a label that the other rows contradict."]
    else:
        share = wording.figure_to(_percent(draft.figure(places["suspects"])), draft.level, 1)
        what = "an outcome far from" if numbers else "a label contradicted by"
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
    if sure and count:
        said.append(
            "The recipe's probabilities are all but 0 or 1, so every row that it gets wrong is listed: read it as its "
            "errors."
        )
    return said


def _percent(figure: Figure) -> Figure:
    return figure.mapped(lambda value: 100 * value)
