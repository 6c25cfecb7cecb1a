"""What is wrong with the data, the gravest first. Each issue is found by one function below."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from brookfall.core.check.shared.duplicate_rows import repeats_of
from brookfall.core.check.shared.leak_suspects import alone, identifiers_among
from brookfall.core.foundation import wording
from brookfall.core.judge.ground_by_content import ground_by_content
from brookfall.core.judge.grounds import Grounds
from brookfall.core.measure.registry import words_of
from brookfall.core.recipe.rows_with_gaps import rows_with_gaps
from brookfall.core.retest.screening.issue import Action, Issue
from brookfall.core.retest.screening.rows_of_issue import Alike, Gaps, InTwoParts, Says, rows_where
from brookfall.core.submission.subject import Subject
from brookfall.core.table.change import Bands, DropRepeats, JoinSample, ReadAs, WordsAreMissing
from brookfall.core.table.dates import nearly_dates
from brookfall.core.table.infer import decimal_of_words, looks_like_number
from brookfall.core.table.table import Column, Table

_SEED = 1
_ALONE = 0.95
_NEARLY = 0.9
_FEW_WORDS = 10
_SENTINELS = (-1.0, -9.0, -99.0, -999.0, -9999.0, 9.0, 99.0, 999.0, 9999.0, 99999.0)
_SENTINEL_ROWS = 3
_CODE_WORDS = {"code", "id", "no", "nr", "zone", "postcode", "type", "category"}
_MANY_LEVELS = 100
_MANY_GROUPS = 12
_AGE_CUTS = (18.0, 40.0, 65.0)


@dataclass(frozen=True)
class Sample:
    """A table with columns that the rows lack, and the column by which it is joined to them."""

    table: Table
    key: str


_ORDER = {"serious": 0, "notable": 1, "slight": 2}


def issues_of(subject: Subject, grounds: Grounds, samples: Mapping[str, Sample] | None = None) -> tuple[Issue, ...]:
    """Everything found, the gravest first; ``grounds`` are those of the policy, ``samples`` could be joined."""
    table = subject.table
    found = [
        *_leaks(subject),
        *_identifiers(subject),
        *_in_two_parts(subject),
        *_repeats(subject),
        *(issue for column in table.columns for issue in _cells(column, subject)),
        *_unmarked(subject, grounds),
        *_unbanded(subject),
        *_gaps(subject),
        *_samples(subject, samples or {}),
    ]
    return tuple(sorted(found, key=lambda issue: _ORDER[issue.weight]))


def _leaks(subject: Subject) -> Iterator[Issue]:
    seen: set[str] = set()
    for suspect in alone(subject, _SEED):
        if (suspect.figure.value or 0.0) <= _ALONE or suspect.feature in seen:
            continue
        seen.add(suspect.feature)
        figure = f"{words_of(suspect.measure)} {wording.figure(suspect.figure)}"
        yield Issue(
            about="leak",
            weight="serious",
            sentence=(
                f"{wording.capital(suspect.words) if suspect.gaps else suspect.words} alone all but "
                f"{'decide' if suspect.gaps else 'decides'} {subject.roles.target}: {figure} on "
                f"{wording.rows(suspect.figure.n)}. "
                "If it was written down after the event, it must not be learned from."
            ),
            columns=(suspect.feature,),
            actions=(Action(label=f"Ignore {suspect.feature}", column=suspect.feature, role="ignore"),),
        )


def _identifiers(subject: Subject) -> Iterator[Issue]:
    for name, distinct in identifiers_among(subject):
        yield Issue(
            about="identifier",
            weight="serious",
            sentence=(
                f"{name} is a feature and has {wording.count(distinct)} values in "
                f"{wording.rows(subject.table.n_rows)}: it names rows, it does not describe them."
            ),
            columns=(name,),
            actions=(Action(label=f"Make {name} an identifier", column=name, role="identifier"),),
        )


def _in_two_parts(subject: Subject) -> Iterator[Issue]:
    roles = subject.roles
    if roles.part is None:
        return
    for name in roles.naming:
        where = InTwoParts(column=name, part=roles.part)
        count = len(rows_where(subject.table, where))
        if count:
            yield Issue(
                about="in_two_parts",
                weight="serious",
                sentence=(
                    f"{wording.capital(wording.rows(count))} have a {name} that stands in more than one part, "
                    "so unseen rows are not all unseen."
                ),
                columns=(name,),
                rows=where,
                count=count,
            )


def _repeats(subject: Subject) -> Iterator[Issue]:
    table, roles = subject.table, subject.roles
    found = repeats_of(subject)
    said = tuple(name for name in table.names if name not in (*roles.identifier, roles.part))
    if len(found.repeated):
        count = len(found.repeated)
        yield Issue(
            about="repeated",
            weight="notable",
            sentence=f"{wording.capital(wording.rows(count))} repeat an earlier one, identifiers aside.",
            rows=Alike(columns=said),
            count=count,
            actions=(Action(label="Leave the repeats out", change=DropRepeats(columns=said)),),
        )
    if len(found.contradicted):
        count = len(found.contradicted)
        yield Issue(
            about="contradicted",
            weight="notable",
            sentence=(
                f"{wording.capital(wording.rows(count))} have the same features as another row and another "
                f"{roles.target}."
            ),
            rows=Alike(columns=subject.features, but=roles.target),
            count=count,
        )


def _cells(column: Column, subject: Subject) -> Iterator[Issue]:
    """What the cells of one column say that they should not."""
    name = column.name
    feature = name in subject.features
    odd = list(_odd_words(column))
    yield from odd
    yield from _sentinel(column)
    present = column.values[~column.missing]
    distinct = len(np.unique(present))
    if feature and distinct < 2:
        yield Issue(
            about="constant",
            weight="slight",
            sentence=f"{name} never varies: nothing can be learned from it.",
            columns=(name,),
            actions=(Action(label=f"Ignore {name}", column=name, role="ignore"),),
        )
    last = name.lower().replace("-", "_").split("_")[-1]
    if feature and column.kind == "number" and last in _CODE_WORDS and distinct <= _MANY_LEVELS:
        yield Issue(
            about="code",
            weight="notable",
            sentence=(
                f"{name} is read as a number, and its name says that it is a code: as a number, code 4 counts as twice "
                "code 2."
            ),
            columns=(name,),
            actions=(Action(label=f"Read {name} as a category", change=ReadAs(column=name, to="category")),),
        )
    if feature and not odd and column.kind == "text":
        weighs = subject.recipe is not None and subject.recipe.preprocess.text == "words"
        then = "the recipe learns from its words" if weighs else "the recipe leaves it out, as it weighs no words"
        yield Issue(
            about="free_text",
            weight="notable",
            sentence=f"{name} is free text with {wording.count(distinct)} different entries: {then}.",
            columns=(name,),
            actions=(
                Action(label=f"Read {name} as a category", change=ReadAs(column=name, to="category")),
                Action(label=f"Ignore {name}", column=name, role="ignore"),
            ),
        )
    elif feature and not odd and column.kind == "category" and distinct > _MANY_LEVELS:
        yield Issue(
            about="many_levels",
            weight="notable",
            sentence=f"{name} has {wording.count(distinct)} different values, each a level for a recipe to learn.",
            columns=(name,),
            actions=(Action(label=f"Ignore {name}", column=name, role="ignore"),),
        )


def _odd_words(column: Column) -> Iterator[Issue]:
    if column.kind not in ("category", "text") or not column.levels:
        return
    name = column.name
    counts = np.bincount(column.values[~column.missing].astype(np.int64), minlength=len(column.levels))
    decimal = decimal_of_words(column.levels)
    numeric = np.array([looks_like_number(level, decimal) for level in column.levels])
    odd = [level for level, is_number in zip(column.levels, numeric, strict=True) if not is_number]
    share = counts[numeric].sum() / max(counts.sum(), 1)
    if _NEARLY <= share < 1 and len(odd) <= _FEW_WORDS:
        count = int(counts[~numeric].sum())
        quoted = wording.listed([f"'{word}'" for word in odd])
        yield Issue(
            about="odd_words",
            weight="notable",
            sentence=(
                f"{name} would be a number but for {wording.rows(count)} that say {quoted}; "
                "as it is, every number is a level of its own."
            ),
            columns=(name,),
            rows=Says(column=name, words=tuple(odd)),
            count=count,
            actions=(
                Action(label=f"Count {quoted} as missing", change=WordsAreMissing(column=name, words=tuple(odd))),
            ),
        )
    impossible = nearly_dates(column.levels)
    if impossible and len(impossible) < len(column.levels):
        where = Says(column=name, words=tuple(impossible[:_FEW_WORDS]))
        count = int(sum(counts[column.levels.index(level)] for level in impossible))
        change = WordsAreMissing(column=name, words=tuple(impossible))
        yield Issue(
            about="no_date",
            weight="notable",
            sentence=f"{name} holds {wording.rows(count)} with dates that do not exist, such as {impossible[0]}.",
            columns=(name,),
            rows=where,
            count=count,
            actions=(Action(label="Count them as missing", change=change),),
        )


def _sentinel(column: Column) -> Iterator[Issue]:
    if column.kind != "number":
        return
    values = column.values[~column.missing].astype(np.float64)
    for sentinel in _SENTINELS:
        rows = int((values == sentinel).sum())
        others = values[values != sentinel]
        if rows < _SENTINEL_ROWS or not len(others):
            continue
        low, high = float(others.min()), float(others.max())
        beyond = sentinel - high if sentinel > high else low - sentinel
        # A value that stands for a gap lies alone, beyond all that was measured.
        if beyond > max(high - low, 1.0) * 0.5 or (sentinel < 0 <= low and beyond > 0):
            word = f"{sentinel:g}"
            yield Issue(
                about="sentinel",
                weight="notable",
                sentence=(
                    f"{column.name} says {word} in {wording.rows(rows)}, "
                    f"and otherwise lies between {low:g} and {high:g}: {word} may stand for a gap."
                ),
                columns=(column.name,),
                rows=Says(column=column.name, words=(word,)),
                count=rows,
                actions=(
                    Action(label=f"Count {word} as missing", change=WordsAreMissing(column=column.name, words=(word,))),
                ),
            )


def _unmarked(subject: Subject, grounds: Grounds) -> Iterator[Issue]:
    """Columns that are of a ground by name or by content, and are not marked so or not tied to it."""
    roles = subject.roles
    for column in subject.table.columns:
        name = column.name
        if name in (roles.target, roles.part, roles.weight, *roles.identifier) or name in roles.grounds:
            continue
        marked, ground = name in roles.protected, grounds.by_name(name)
        if ground is not None:
            if not marked:
                yield Issue(
                    about="unmarked",
                    weight="slight",
                    sentence=f"{name} may name a ground of the policy ({ground}) and is not marked as protected.",
                    columns=(name,),
                    actions=(Action(label=f"Mark {name} as protected", column=name, protect=True), _of_none(name)),
                )
            continue
        proposed = ground_by_content(column, grounds)
        if proposed is None and not marked:
            continue
        if proposed is None:
            sentence = (
                f"{name} is protected, and no ground of the policy is named for it: choose one beside the column."
            )
            yield Issue(about="untied", weight="slight", sentence=sentence, columns=(name,), actions=(_of_none(name),))
            continue
        more = "it is protected and not tied to it" if marked else "it is not marked as protected"
        does = f"Tie {name} to {proposed.ground}" if marked else f"Protect {name} as {proposed.ground}"
        yield Issue(
            about="untied" if marked else "unmarked",
            weight="slight",
            sentence=f"{name} may be of a ground of the policy ({proposed.ground}): {proposed.because}; {more}.",
            columns=(name,),
            actions=(
                Action(label=does, column=name, protect=not marked, ground=proposed.ground),
                _of_none(name),
            ),
        )


def _of_none(name: str) -> Action:
    """The reviewer has looked: whatever the column is called or holds, it is of no ground of the policy."""
    return Action(label=f"{name} is of no ground", column=name, ground="")


def _unbanded(subject: Subject) -> Iterator[Issue]:
    for name in subject.roles.protected:
        column = subject.table.column(name)
        present = column.values[~column.missing]
        if column.kind != "number" or len(np.unique(present)) <= _MANY_GROUPS:
            continue
        bands = Bands(
            column=name, cuts=_cuts(subject, name, present.astype(np.float64)), name=_free_name(subject, name)
        )
        yield Issue(
            about="unbanded",
            weight="notable",
            sentence=(
                f"{name} is protected and has {wording.count(len(np.unique(present)))} values: "
                f"too many groups to audit. Bands would be {wording.listed(bands.labels)}."
            ),
            columns=(name,),
            actions=(Action(label=f"Audit {bands.name} instead", column=name, change=bands),),
        )


def _free_name(subject: Subject, name: str) -> str:
    wanted = f"{name}_band"
    return wanted if wanted not in subject.table else f"{wanted}_2"


def _cuts(subject: Subject, name: str, present: "np.ndarray[tuple[int], np.dtype[np.float64]]") -> tuple[float, ...]:
    """Ages are cut where working life begins, at its middle and at its end; another number at its quartiles."""
    if Grounds(("age",)).of(name, subject.roles.grounds) and present.min() >= 0 and present.max() <= 125:
        inside = tuple(cut for cut in _AGE_CUTS if present.min() < cut <= present.max())
        if inside:
            return inside
    return tuple(sorted({float(f"{cut:.3g}") for cut in np.quantile(present, [0.25, 0.5, 0.75])}))


def _samples(subject: Subject, samples: Mapping[str, Sample]) -> Iterator[Issue]:
    for name, sample in samples.items():
        columns = tuple(one for one in sample.table.names if one != sample.key and one not in subject.table)
        if not columns or sample.key not in subject.table:
            continue
        held = set(sample.table.column(sample.key).texts()) - {None}
        count = sum(key in held for key in subject.table.column(sample.key).texts())
        change = JoinSample(sample=name, key=sample.key, columns=columns)
        yield Issue(
            about="sample",
            weight="notable",
            sentence=(
                f"The sample {name} has {wording.listed(columns)}, which the rows lack; joined by {sample.key} "
                f"it covers {wording.count(count)} of {wording.rows(subject.table.n_rows)}."
            ),
            columns=columns,
            actions=(Action(label=f"Join {name}", change=change),) if count else (),
        )


def _gaps(subject: Subject) -> Iterator[Issue]:
    features = subject.table.select(subject.features)
    held = [(column.name, int(column.missing.sum())) for column in features.columns if column.missing.any()]
    if not held:
        return
    rows = int(rows_with_gaps(features).sum())
    n = features.n_rows
    named = [f"{name} ({wording.percent(count / n)})" for name, count in sorted(held, key=lambda one: -one[1])]
    more = f" and {len(named) - 4} more" if len(named) > 4 else ""
    how = subject.recipe.preprocess.missing if subject.recipe else None
    filled = {
        None: "",
        "drop": " The recipe drops them.",
        "indicator": " The recipe fills them with the median and notes that it did.",
        "constant": " The recipe fills them with 0.",
    }.get(how, f" The recipe fills them with the {how}.")
    yield Issue(
        about="gaps",
        weight="slight",
        sentence=(
            f"{wording.capital(wording.rows(rows))} of {wording.count(n)} have a gap in a feature: "
            f"{wording.listed(named[:4])}{more}.{filled}"
        ),
        columns=tuple(name for name, _ in held),
        rows=Gaps(columns=tuple(name for name, _ in held)),
        count=rows,
    )
