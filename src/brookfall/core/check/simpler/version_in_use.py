"""Against the version in use: both refitted, and judged on the same rows."""

from collections.abc import Iterable

from brookfall.core.candidate.candidate import IN_USE
from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import NO_LIMIT, About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.better_model import Words, allowed, told
from brookfall.core.check.shared.refits import gain_of, score_of
from brookfall.core.check.shared.swap_set import sides_of
from brookfall.core.check.shared.version_sentence import limit_to_challenger, version_field
from brookfall.core.evidence.chart import Cell, StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.registry import words_of
from brookfall.core.plan.plan import InUse

_WORDS = Words(
    plain="The submitted version has",
    better="It does better than what it would replace",
    worse="It does worse than what it would replace",
    beyond="It does worse than what it would replace, by more than the limit",
    kept="It is not worse than what it would replace by more than the limit",
    open="These rows can't tell whether it is worse than what it would replace",
)


class AgainstInUse(Check):
    name = "in_use"
    title = "Against the version in use"
    question = 5
    source = (
        "Corrected resampled t over the same folds (Nadeau & Bengio 2003); on a part, paired intervals on the "
        "same rows (DeLong et al. 1988; Newcombe 1998; Hall 1992); swap set: common practice."
    )
    refits = True
    outcomes = ANY_OUTCOME
    needs_version = True
    reads = Reads(plan=("in_use", "policy.worse_than_challenger"))

    def sentence(self, about: About) -> Sentence:
        return say(
            "Set it against the version in use, {version}, refitted on the same rows, and look at who changes side.",
            limit_to_challenger(about) if NO_LIMIT in limit_to_challenger(about) else "the same limit",
            version=version_field(about),
        )

    def requests(self, bench: Bench) -> list[Need]:
        return [*bench.deciding_needs, *bench.in_use.needs(bench.plan.deciding_part)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        ours, theirs = bench.deciding(ledger), bench.in_use.scored(ledger, bench.plan.deciding_part)
        used, draft = bench.named_in_use, Draft(bench.plan.policy.level)
        names = pictures.main_measures(bench)
        new = {
            name: draft.add(name, score_of(bench, ledger, name, bench.submitted, ours.part), part=ours.part)
            for name in names
        }
        old = {
            name: draft.add(name, score_of(bench, ledger, name, bench.in_use, ours.part), model=IN_USE, part=ours.part)
            for name in names
        }
        gains = {
            name: draft.add(
                name,
                gain_of(bench, ledger, name, bench.submitted, bench.in_use, ours.part),
                comparison="difference",
                part=ours.part,
                versus=Versus(model=IN_USE),
                limit=allowed(bench) if name == bench.plan.main_measure else None,
            )
            for name in names
        }
        sides = sides_of(bench, draft, ours, theirs)
        both = {"submitted": ours.scored, f"{used.version}, in use": theirs.scored}
        colours = dict(zip(both, ("recipe", "reference"), strict=True))
        overlaid, series = pictures.curve_charts(both, draft.level, colours=colours, only=("roc", "depth"))
        strips = _strips(names, used, new, old)
        return draft.write(
            [_answer(bench, draft, used, ours, new, old, gains), *sides.said],
            charts=(*strips, *sides.charts, *overlaid),
            series=series,
            tables=(_table(bench, names, used, ours, new, old, gains), *sides.tables),
        )


def _strips(names: Iterable[str], used: InUse, new: dict[str, int], old: dict[str, int]) -> tuple[StripChart, ...]:
    groups = [
        (
            name,
            StripGroup(
                label=pictures.in_words(name),
                rows=(
                    StripRow(estimate=new[name], label="submitted", colour="recipe"),
                    StripRow(estimate=old[name], label=f"{used.version}, in use", colour="reference"),
                ),
            ),
        )
        for name in names
    ]
    return pictures.strips("Both versions on the same rows", groups)


def _table(
    bench: Bench,
    names: Iterable[str],
    used: InUse,
    ours: ScoredPart,
    new: dict[str, int],
    old: dict[str, int],
    gains: dict[str, int],
) -> TableView:
    rows: list[tuple[Cell, ...]] = [
        (text(words_of(name)), at(new[name]), at(old[name]), at(gains[name])) for name in names
    ]
    counted = f"{bench.subject.counted(len(ours.positions))} ({ours.part.replace('_', '-')})"
    return TableView(
        title=f"On the same {counted}, both refitted here",
        columns=("measure", "submitted", f"{used.version}, in use", "the submitted version is better by"),
        rows=tuple(rows),
    )


def _answer(
    bench: Bench,
    draft: Draft,
    used: InUse,
    ours: ScoredPart,
    new: dict[str, int],
    old: dict[str, int],
    gains: dict[str, int],
) -> str:
    main = bench.plan.main_measure
    figures = (
        f"{words_of(main)} {wording.figure(draft.figure(new[main]), draft.level)} against "
        f"{wording.figure(draft.figure(old[main]), draft.level)} of {used.version}, in use, on "
        f"{bench.subject.counted(len(ours.positions))}"
    )
    return told(draft, gains[main], figures, _WORDS)
