"""What may be said of groups: sentences that follow from their estimates, and no more."""

from collections.abc import Sequence
from math import inf

from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Compared, not_computed, standings_of, troubled
from brookfall.core.check.groups.criteria import Criterion, Kind
from brookfall.core.check.groups.omnibus import Omnibus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import in_round_numbers, rows_to_tell
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.registry import words_of

FOUR_FIFTHS = 0.8
BEYOND_CHANCE = 0.05


_SHORT = {
    "selection_rate": "shares selected",
    "true_positive_rate": "TPR",
    "false_positive_rate": "FPR",
    "positive_predictive_value": "PPV",
    "calibration_slope": "calibration slope",
    "bias": "mean error",
}


def short_of(criterion: Criterion) -> str:
    """A criterion by the trade's shortest word."""
    return _SHORT.get(criterion.measure, words_of(criterion.measure))


def contrast_words(draft: Draft, one: Compared, kind: Kind) -> str:
    """One comparison in a sentence: who, how much, against what, how it stands, by the judged interval."""
    place, name = one.by_kind[kind], one.criterion.measure
    stands = stands_words(draft, place, kind)
    group, figure = one.member.words, draft.figure(place)
    if kind == "itself":
        told = wording.figure_to(figure, draft.level_of(place), 2)
        return f"The {short_of(one.criterion)} of {group} is {told} (n {wording.count(figure.n)}), {stands}."
    rate, usual = draft.figure(one.rate), one.member.against.rate(name)
    others, sizes = one.member.against.words, f"n {wording.count(rate.n)} and {wording.count(usual.n)}"
    if not one.criterion.is_share:
        own, theirs = wording.number(rate.value), wording.number(usual.value)
        return (
            f"The {short_of(one.criterion)} of {group} is {own}, that of {others} {theirs}: "
            f"{wording.amount(figure, draft.level_of(place))} ({sizes}), {stands}."
        )
    among, verb = _among(one), _verb(one)
    fewer = min(rate.n, usual.n)
    own, theirs = wording.share(rate.value, fewer), wording.share(usual.value, fewer)
    told = (wording.times if kind == "ratio" else wording.points)(figure, draft.level_of(place))
    lead = wording.capital(f"{among}{own} of {group} {verb}, against {theirs} of {others}")
    return f"{lead}: {told} ({sizes}), {stands}."


def apart_words(draft: Draft, one: Omnibus) -> str:
    """How far all groups of a ground lie apart, in a sentence."""
    figure, level = draft.figure(one.place), draft.level_of(one.place)
    interval = figure.interval(level)
    name = short_of(one.criterion)
    if figure.value is None or interval is None:
        return f"How far groups by {one.words} lie apart in {name} is not computed: {figure.note}."
    scale, unit, decimals = (100, " points", 0) if one.criterion.is_share else (1, "", 3)
    if one.kind == "ratio":
        told = f"{figure.value:.2f} times a typical high one's [{interval[0]:.2f} to {interval[1]:.2f}]"
    else:
        ends = " to ".join(wording.number(scale * end, decimals) for end in interval)
        told = f"{wording.number(scale * figure.value, decimals)}{unit} under a typical high one's [{ends}]"
    return (
        f"Groups by {one.words} lie apart in {name}{_of_class(one.read.class_)}: a typical low group's is {told} "
        f"(n {wording.count(figure.n)}), {stands_words(draft, one.place, one.kind)}."
    )


def stands_words(draft: Draft, place: int, kind: Kind) -> str:
    """How an estimate stands against its limit, in words; ``shown, not judged`` where it has none."""
    limit, standing = draft.limit(place), draft.standing(place)
    if limit is None:
        return "shown, not judged"
    of = _limit_words(limit, kind, points=draft.quantity(place).endswith(("_rate", "_value", "_groups")))
    return {
        Standing.OUTSIDE: f"beyond the limit of {of}",
        Standing.NEAR: f"near the limit of {of}",
        Standing.WITHIN: f"within the limit of {of}",
        Standing.UNSETTLED: f"too few rows to tell against a limit of {of}",
        None: "too few rows to judge",
    }[standing]


def _limit_words(limit: Limit, kind: Kind, *, points: bool) -> str:
    if kind == "difference" and limit.at_most is not None:
        return f"{100 * limit.at_most:g} points" if points and limit.at_most < 1 else f"{limit.at_most:g}"
    ends = [f"{end:g}" for end in (limit.at_least, limit.at_most) if end is not None]
    return " to ".join(ends)


def _of_class(label: str | None) -> str:
    return "" if label is None else f" of class {label}"


def _among(one: Compared) -> str:
    label = one.read.class_
    of = {
        "true_positive_rate": "of those truly positive, " if label is None else f"of those truly {label}, ",
        "false_positive_rate": "of those truly negative, " if label is None else f"of those not {label}, ",
        "positive_predictive_value": "of those selected, " if label is None else f"of those called {label}, ",
    }
    return of.get(one.criterion.measure, "")


def _verb(one: Compared) -> str:
    label = one.read.class_
    if label is not None:
        return f"are truly {label}" if one.criterion.measure == "positive_predictive_value" else f"are called {label}"
    return {
        "selection_rate": "are selected",
        "true_positive_rate": "are found",
        "false_positive_rate": "are wrongly picked",
        "positive_predictive_value": "are truly positive",
    }[one.criterion.measure]


def answer_of(draft: Draft, compared: Sequence[Compared], omnibus: Sequence[Omnibus], *, cleared: bool) -> str:
    """What the comparisons of groups come to: the clearest that is outside or near, or what these rows can tell."""
    found = troubled(draft, compared)
    apart = [one for one in omnibus if draft.standing(one.place) in (Standing.OUTSIDE, Standing.NEAR)]
    outside = [one for one in apart if draft.standing(one.place) is Standing.OUTSIDE]
    shown = bool(found) and draft.standing(found[0][0].by_kind[found[0][1]]) is Standing.OUTSIDE
    if outside and not shown:
        return apart_words(draft, outside[0])
    if found:
        return contrast_words(draft, *found[0])
    if apart:
        return apart_words(draft, apart[0])
    return _nothing_beyond(draft, compared, _still_apart(draft, omnibus), cleared=cleared)


def _still_apart(draft: Draft, omnibus: Sequence[Omnibus]) -> list[Omnibus]:
    """The judged omnibus estimates that these rows can't settle."""
    judged = (one for one in omnibus if draft.limit(one.place) is not None)
    return [one for one in judged if draft.standing(one.place) in (Standing.UNSETTLED, None)]


def _nothing_beyond(draft: Draft, compared: Sequence[Compared], apart: Sequence[Omnibus], *, cleared: bool) -> str:
    judged = [(one, kind) for one in compared for kind, _ in one.judged(draft)]
    if not judged:
        return "Nothing is judged here: the policy has no limit on what is compared."
    still = [(one, kind) for one, kind in judged if draft.standing(one.by_kind[kind]) is not Standing.WITHIN]
    if not still and apart:
        return (
            f"No group differs from others by more than its limit; whether groups by {apart[0].words} lie apart as a "
            f"whole in {short_of(apart[0].criterion)}, these rows are too few to tell."
        )
    if not still:
        each = "the comparison lies" if len(judged) == 1 else f"all {len(judged)} comparisons lie"
        return f"No group differs by more than its limit: {each} within, by all of its interval."
    groups = len({_key(one) for one, _ in judged})
    few = len({_key(one) for one, _ in still})
    if cleared:
        return (
            f"No group is shown to differ by more than its limit, and {groups - few} of {groups} are shown not to. "
            f"{'One small group is' if few == 1 else f'{few} small groups are'} open."
        )
    if len(still) == len(judged):
        return "These rows are too few to tell fair from unfair: " + (
            "the one comparison is open." if len(judged) == 1 else f"all {len(judged)} comparisons are open."
        )
    within = len(judged) - len(still)
    return (
        f"These rows are too few to tell for {few} of {groups} groups; nothing is shown to be beyond a limit. Of "
        f"{len(judged)} comparisons {within} {'is' if within == 1 else 'are'} within."
    )


def _key(one: Compared) -> tuple[str, str | None, str]:
    return one.read.model, one.read.class_, one.member.words


def lines_of(draft: Draft, compared: Sequence[Compared], omnibus: Sequence[Omnibus]) -> tuple[str, ...]:
    """What stands below the answer: which groups are open, what else is outside or near, how many stand how, and what
    would settle it."""
    judged = [(one, kind) for one in compared for kind, _ in one.judged(draft)]
    still = _by_group(draft, judged, Standing.UNSETTLED, None)
    beyond, near = (_by_group(draft, judged, standing) for standing in (Standing.OUTSIDE, Standing.NEAR))
    troubled_wholes = [one for one in omnibus if draft.standing(one.place) in (Standing.OUTSIDE, Standing.NEAR)]
    apart, still_apart = (
        [f"{one.words} by {short_of(one.criterion)}{_of_class(one.read.class_)}" for one in some]
        for some in (troubled_wholes, _still_apart(draft, omnibus))
    )
    return tuple(
        line
        for line in (
            wording.line_of("Beyond a limit", beyond),
            wording.line_of("Near a limit", near),
            wording.line_of("Open", still),
            wording.line_of("Apart as a whole", apart),
            wording.line_of("Open as a whole", still_apart),
            tally(standings_of(draft, compared), not_computed(draft, compared)),
            _settles(draft, judged),
        )
        if line
    )


def _by_group(draft: Draft, judged: Sequence[tuple[Compared, Kind]], *standings: Standing | None) -> list[str]:
    """The groups that have a comparison standing so, each with the criteria it stands so by."""
    found: dict[tuple[str, str | None, str], list[str]] = {}
    for one, kind in judged:
        if draft.standing(one.by_kind[kind]) in standings:
            found.setdefault(_key(one), []).append(short_of(one.criterion))
    return [f"{words}{_of_class(label)} by {wording.listed(by)}" for (_, label, words), by in found.items()]


def _settles(draft: Draft, judged: Sequence[tuple[Compared, Kind]]) -> str:
    """What it would take to settle the open group that needs the most rows."""
    needed = [(rows, one, kind) for one, kind in judged if (rows := rows_of_group(draft, one, kind)) is not None]
    if not needed:
        return ""
    rows, one, kind = max(needed, key=lambda each: each[0])
    limit = draft.limit(one.by_kind[kind])
    of = "the limit" if limit is None else _limit_words(limit, kind, points=one.criterion.is_share)
    return f"To settle what is open: up to {wording.count(rows)} rows of a group, to tell {of} from no difference."


def tally(standings: Sequence[Standing | None], absent: int = 0) -> str:
    """How many judged comparisons stand how, in words; ``absent`` ones could not be computed.

    >>> tally([Standing.WITHIN, Standing.UNSETTLED, Standing.UNSETTLED, None])
    'Of 4 comparisons 1 within, 2 unsettled and 1 too small to judge.'
    """
    if not standings and not absent:
        return ""
    few = sum(standing is None for standing in standings)
    words = [f"{standings.count(standing)} {standing.value}" for standing in Standing if standing in standings] + (
        [f"{few} too small to judge"] if few else []
    )
    words += [f"{absent} can't be computed"] if absent else []
    count = len(standings) + absent
    return f"Of {count} comparison{'' if count == 1 else 's'} {wording.listed(words)}."


def rows_of_group(draft: Draft, one: Compared, kind: Kind) -> int | None:
    """About how many rows of the group tell the limit from no difference, if the others grow alike.

    None where it is settled, too small, or where no number that could be had would do.
    """
    place = one.by_kind[kind]
    limit, figure = draft.limit(place), draft.figure(place)
    if limit is None or draft.standing(place) is not Standing.UNSETTLED:
        return None
    needed = rows_to_tell(figure, limit, draft.level)
    if needed is None or needed == inf or not figure.n:
        return None
    return in_round_numbers(len(one.member.group) * needed / figure.n)


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
