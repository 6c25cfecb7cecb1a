"""New rows in sentences: what comes out, how far it can be relied on, what the outcomes say."""

import numpy as np

from brookfall.core.foundation import wording
from brookfall.core.measure.registry import words_of
from brookfall.core.new_rows.measured import Measured, flips, in_pairs
from brookfall.core.new_rows.other_decision import MOST_ROWS
from brookfall.core.new_rows.reasons import BACKGROUND
from brookfall.core.new_rows.score import ModelScores, ScoredFile, told_of_known

LEVEL = 0.95


def answer(scored: ScoredFile, measured: Measured | None, level: float = LEVEL) -> str:
    """One or two sentences: how the first model does on the rows whose outcome is known, else what it says of them."""
    first = scored.models[0]
    if scored.known.all():
        return f"{_says(scored, first)} {told_of_known(scored)}"
    if measured is not None:
        main = measured.main
        figure = measured.figures[main, first.name]
        rows = wording.counted(measured.n, "occasion" if scored.occasions is not None else "new row")
        if figure.value is None:
            return f"On {rows} with an outcome {words_of(main)} can't be computed: {figure.note}."
        said = f"On {rows} with an outcome {words_of(main)} of the {first.asked.words} is "
        few = "; too few rows to tell" if figure.few else ""
        return f"{said}{wording.figure_to(figure, level)}{few}."
    return f"{_says(scored, first)} No outcome is known, so nothing says how right it is."


def _says(scored: ScoredFile, one: ModelScores) -> str:
    n = scored.rows.n_rows
    rows = wording.counted(n, "new row")
    if scored.subject.outcome == "number":
        known = one.scores[np.isfinite(one.scores)]
        if not len(known):
            return f"The {one.asked.words} can score none of {rows}."
        return f"Of {rows} the {one.asked.words} expects from {known.min():.4g} to {known.max():.4g}."
    if one.decisions is None:
        return f"The {one.asked.words} scores {rows}; without a threshold it decides none."
    if scored.occasions is not None:
        count = len(np.unique(scored.occasions.occasion))
        return f"The {one.asked.words} names the likeliest alternative of {wording.counted(count, 'occasion')}."
    made = one.decisions[one.decisions >= 0]
    classes = scored.subject.target.classes
    if scored.subject.outcome == "binary":
        return f"The {one.asked.words} decides {classes[1]} on {int(made.sum())} of {rows}."
    counts = np.bincount(made, minlength=len(classes))
    parts = [f"{classes[place]} on {counts[place]}" for place in np.argsort(-counts, kind="stable") if counts[place]]
    return (
        f"Of {rows} the {one.asked.words} decides {wording.listed(parts[:5])}."
        if parts
        else f"Of {rows} none is decided."
    )


def remarks(scored: ScoredFile) -> tuple[str, ...]:
    """What matters most to whoever reads the scores: rows outside or learned from, what would flip, who differs."""
    found = [told_of_known(scored)] if scored.known.any() and not scored.known.all() else []
    found += _of_beyond(scored)
    found += [line for one in scored.models for line in _of_scaling(one)]
    for name, other, differ, both in in_pairs(scored.models):
        named = f"{scored.by_name[name].asked.words} and {scored.by_name[other].asked.words}"
        found.append(f"{wording.capital(named)} decide differently on {differ} of {wording.rows(both)}.")
    found += [f"{wording.capital(one.asked.words)}: {note}" for one in scored.models for note in one.notes]
    return tuple(found)


def method(scored: ScoredFile) -> tuple[str, ...]:
    """How the rows were matched, what the models learned from, and what a set or interval promises."""
    return (
        *scored.rows.told,
        f"Models learned from {scored.learned_from}.",
        *_of_sets(scored),
        *_of_reasons(scored),
        *_of_others(scored),
    )


def _of_others(scored: ScoredFile) -> list[str]:
    if not any(one.others for one in scored.models):
        return []
    return [
        f"What would change a decision is sought for the first {MOST_ROWS} rows at most among "
        f"{wording.listed([name for name in scored.subject.changeable if name in scored.subject.features])}, which the "
        "brief calls changeable; it says how the model decides, not what would come of it."
    ]


def _of_reasons(scored: ScoredFile) -> list[str]:
    found = []
    for one in scored.models:
        if one.reasons is None:
            continue
        scale = "" if one.reasons.scale == "score" else f", in the {one.reasons.scale} of the score"
        how = "exact" if one.reasons.exact else "drawn from orders of the features"
        first = len(one.reasons.values)
        few = f", of the first {wording.rows(first)} alone" if first < scored.rows.n_rows else ""
        found.append(f"Those of the {one.asked.words} are {how}{scale}{few}.")
    if found:
        found.insert(
            0,
            f"Reasons are Shapley values: the three features that moved a score most from the mean over {BACKGROUND} "
            "rows learned from.",
        )
    return found


def _of_beyond(scored: ScoredFile) -> list[str]:
    rows = int(scored.beyond.any(axis=1).sum())
    if not rows:
        return []
    counts = scored.beyond.sum(axis=0)
    order = np.argsort(-counts, kind="stable")
    named = [f"{scored.subject.features[place]} ({counts[place]})" for place in order[:5] if counts[place]]
    more = int((counts > 0).sum()) - len(named)
    listed = wording.listed([*named, *([f"{more} more"] if more > 0 else [])])
    which = "hold" if rows != 1 else "holds"
    return [f"{wording.rows(rows)} {which} values that no row learned from had: {listed}. Scores there are guesses."]


def _of_scaling(one: ModelScores) -> list[str]:
    if one.by_itself is None:
        return []
    head = f"Had the file been scaled by its own rows, {one.asked.words}"
    told = flips(one)
    if told is not None:
        differ, made = told
        return [f"{head} would have decided otherwise on {differ} of {wording.rows(made)}."]
    known = (
        np.isfinite(one.scores) & np.isfinite(one.by_itself) if one.scores.ndim == 1 else np.zeros(0, dtype=np.bool_)
    )
    if not known.any():
        return []
    off = float(np.abs(one.scores[known] - one.by_itself[known]).max())
    return [f"{head} would have said up to {off:.3g} more or less of a row."]


def _of_sets(scored: ScoredFile) -> list[str]:
    weighed = [] if scored.subject.weights is None else ["Sets and intervals take every row once, whatever its weight."]
    covered = [one for one in scored.models if one.sets is not None or one.low is not None]
    share = wording.level_in_percent(scored.coverage)
    found = weighed if covered else []
    if any(one.sets is not None for one in covered):
        found.append(
            f"A set holds the class of about {share} of the rows of each class, where rows come as those did that the "
            "models learned from; where they have changed, nothing is promised."
        )
    if any(one.low is not None for one in covered):
        found.append(
            f"An interval holds the outcome of about {share} of rows, where rows come as those did that the models "
            "learned from; where they have changed, nothing is promised."
        )
    found += [
        f"{wording.capital(one.asked.words)} has no set or interval: {one.without}."
        for one in scored.models
        if one.without
    ]
    return found


def figures_in_words(scored: ScoredFile, measured: Measured, level: float = LEVEL) -> list[str]:
    """A line a measure: what it is of each model; then by how much one is better than another."""
    words = {one.name: one.asked.words for one in scored.models}
    lines = []
    for name in measured.measures:
        each = [f"{words[one]} {wording.figure_to(measured.figures[name, one], level)}" for one in words]
        lines.append(f"{wording.capital(words_of(name))}: {', '.join(each)}; {wording.counted(measured.n, 'row')}.")
    main = words_of(measured.main)
    for one in measured.differences:
        told = wording.figure_to(one.figure, level)
        lines.append(f"{wording.capital(main)} of {words[one.model]} less that of {words[one.versus]}: {told}.")
    return lines
