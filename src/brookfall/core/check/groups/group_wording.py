"""What may be said of groups: sentences that follow from their estimates, and no more."""

from collections.abc import Sequence

from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Compared
from brookfall.core.check.groups.criteria import Kind
from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import rows_to_settle
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.registry import words_of

FOUR_FIFTHS = 0.8
BEYOND_CHANCE = 0.05


def shown_of(draft: Draft, one: Compared, kind: Kind) -> str:
    """What one judged comparison shows, with the reference named: rates, comparison, and how it stands."""
    member, place = one.member, one.by_kind[kind]
    figure, limit = draft.figure(place), draft.limit(place)
    standing = draft.standing(place)
    limited = "" if limit is None else f" ({limit.words})"
    how = {
        Standing.OUTSIDE: f"all of its simultaneous interval breaks the limit{limited}",
        Standing.NEAR: f"it crosses the limit{limited} and leaves out no difference, so how much is open",
        Standing.WITHIN: f"all of its simultaneous interval keeps the limit{limited}",
        Standing.UNSETTLED: "these rows can't tell",
        None: "too few to judge",
    }[standing]
    if kind == "itself":
        name = words_of(one.criterion.measure)
        return f"With {member.group.words}, the {name} is {wording.figure(figure, draft.level, 2)}; {how}"
    rate, usual = draft.figure(one.rate), member.against.rate(one.criterion.measure)
    word = "a ratio" if kind == "ratio" else "a difference"
    return (
        f"Of {wording.rows(rate.n)} with {member.group.words}{_among(one)}, {wording.percent(rate.value)} "
        f"{_phrase(one)}, against {wording.percent(usual.value)} of {wording.count(usual.n)} with "
        f"{member.against.group.words} (the reference): {word} of "
        f"{wording.figure(figure, draft.level, 2 if kind == 'ratio' else 3)}; {how}"
    )


def _among(one: Compared) -> str:
    among = {
        "true_positive_rate": "truly positive",
        "false_positive_rate": "truly negative",
        "positive_predictive_value": "selected",
    }.get(one.criterion.measure)
    if among is None:
        return ""
    label = one.read.class_
    if label is not None:
        among = {"truly positive": f"truly {label}", "truly negative": f"not {label}", "selected": f"called {label}"}[
            among
        ]
    return f" who are {among}" if label is None else f" that are {among}"


def _phrase(one: Compared) -> str:
    label = one.read.class_
    if label is not None:
        return f"are truly {label}" if one.criterion.measure == "positive_predictive_value" else f"are called {label}"
    return {
        "selection_rate": "are selected",
        "true_positive_rate": "are found",
        "false_positive_rate": "are wrongly picked",
        "positive_predictive_value": "are truly positive",
    }[one.criterion.measure]


def tally(standings: Sequence[Standing | None], absent: int = 0) -> str:
    """How many judged comparisons stand how, in words; ``absent`` ones could not be computed.

    >>> tally([Standing.WITHIN, Standing.UNSETTLED, Standing.UNSETTLED, None])
    'Of 4 comparisons 1 within, 2 unsettled and 1 too small to judge.'
    """
    if not standings and not absent:
        return "There is nothing to compare."
    few = sum(standing is None for standing in standings)
    words = [f"{standings.count(standing)} {standing.value}" for standing in Standing if standing in standings] + (
        [f"{few} too small to judge"] if few else []
    )
    words += [f"{absent} can't be computed"] if absent else []
    count = len(standings) + absent
    return f"Of {count} comparison{'' if count == 1 else 's'} {wording.listed(words)}."


def nothing_shown(standings: Sequence[Standing | None]) -> str:
    """What may be said where nothing is outside or near: fair is told from what these rows can't tell.

    >>> nothing_shown([Standing.WITHIN, Standing.UNSETTLED])
    "No difference beyond a limit is shown; that is no proof of fairness where these rows can't tell."
    """
    settled = [standing for standing in standings if standing is not None]
    if settled and all(standing is Standing.WITHIN for standing in settled):
        small = "" if len(settled) == len(standings) else " that could be judged"
        return f"Every comparison{small} lies within its limit."
    if Standing.WITHIN not in settled:
        return "Nothing is shown either way: these rows can't tell fair from unfair."
    return "No difference beyond a limit is shown; that is no proof of fairness where these rows can't tell."


def rows_of_group(draft: Draft, one: Compared, kind: Kind) -> int | None:
    """About how many rows of the group would settle a comparison, if its value stays and the reference grows alike.

    None where it is settled, too small, or would take a thousand times as many.
    """
    place = one.by_kind[kind]
    limit, figure = draft.limit(place), draft.figure(place)
    if limit is None or draft.standing(place) is not Standing.UNSETTLED:
        return None
    needed = rows_to_settle(figure, limit, draft.wide_level)
    if needed is None or not figure.n:
        return None
    times = needed / figure.n
    return None if times > 1000 else round(len(one.member.group) * times)


def four_fifths_words(ratio: Figure, p: float | None) -> str:
    """Practical and statistical significance told apart: under four fifths or not, beyond chance or not.

    >>> four_fifths_words(Figure(0.7, 90), 0.2)
    'under 4/5, within chance'
    """
    if ratio.value is None:
        return "–"
    if ratio.few or p is None:
        return "too few to judge"
    low, high = ratio.value < FOUR_FIFTHS, ratio.value > 1 / FOUR_FIFTHS
    size = "under 4/5" if low else "over 5/4" if high else "above 4/5"
    return f"{size}, {'beyond' if p < BEYOND_CHANCE else 'within'} chance"
