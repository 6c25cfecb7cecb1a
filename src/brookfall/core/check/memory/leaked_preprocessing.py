"""Leaked preparation: what it would have gained to learn scales, fillings and levels from all rows."""

from dataclasses import replace

from brookfall.core.check.bench import OUT_OF_FOLD, Bench, ScoredPart
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.refits import gain_by_fold, score_by_fold
from brookfall.core.evidence.chart import StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import words_of

LEAKED = "prepared on all rows"


class Preparation(Check):
    name = "preparation"
    title = "Leaked preparation"
    question = 4
    source = "Corrected resampled t over the same folds (Nadeau & Bengio 2003)."
    refits = True
    tiers = NOT_LIGHT

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Learn scales, fillings and levels from all rows instead of training rows, and see what that leak "
            "would gain."
        )

    def requests(self, bench: Bench) -> list[Need]:
        if not learned(bench):
            raise UserError(
                "The recipe learns nothing from the rows before it fits: no scale, no filling of gaps, no means of "
                "levels, no rare levels.",
                todo="There is nothing that could leak.",
            )
        return [need for fold in bench.split.long_folds for need in _pair(bench, fold.train, fold.test)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        honest, leaked = (_scored(bench, ledger, which) for which in (0, 1))
        names = pictures.main_measures(bench)
        folds = bench.split.long_folds
        ours = {name: draft.add(name, score_by_fold(name, folds, honest), part=OUT_OF_FOLD) for name in names}
        theirs = {
            name: draft.add(name, score_by_fold(name, folds, leaked), model=LEAKED, part=OUT_OF_FOLD) for name in names
        }
        gains = {}
        for name in names:
            gains[name] = draft.add(
                name,
                gain_by_fold(name, folds, leaked, honest),
                comparison="difference",
                model=LEAKED,
                part=OUT_OF_FOLD,
                versus=Versus(model="recipe"),
            )
        groups = [
            (
                name,
                StripGroup(
                    label=pictures.in_words(name),
                    rows=(
                        StripRow(estimate=ours[name], label="training rows only", colour="recipe"),
                        StripRow(estimate=theirs[name], label="all rows", colour="baseline"),
                    ),
                ),
            )
            for name in names
        ]
        table = TableView(
            title=f"Prepared on training rows and on all rows; the same {wording.rows(len(honest.scored))} unseen",
            columns=("measure", "training rows only", "all rows", "gained by leaking"),
            rows=tuple((text(words_of(name)), at(ours[name]), at(theirs[name]), at(gains[name])) for name in names),
        )
        main = bench.plan.main_measure
        return draft.write(
            _answer(bench, draft, main, gains[main]),
            charts=pictures.strips("What the preparation is learned from", groups),
            tables=(table,),
        )


def learned(bench: Bench) -> list[str]:
    """What the recipe learns of the rows before it fits, in words."""
    steps = bench.recipe.preprocess
    columns = bench.subject.table.select(bench.subject.features).columns
    found = []
    if steps.scale != "none" and any(column.kind == "number" for column in columns):
        found.append(f"scales ({steps.scale})")
    if steps.missing not in ("drop", "constant") and any(column.missing.any() for column in columns):
        found.append("what fills gaps")
    if steps.text == "words" and any(column.kind == "text" for column in columns):
        found.append("which words there are and how rare each is")
    if any(column.kind not in ("number", "text") for column in columns):
        found.extend(["mean outcomes of levels"] if steps.encode == "target" else [])
        found.extend(["rare levels"] if steps.rare > 0 else [])
    return found


def _pair(bench: Bench, train: Rows, test: Rows) -> list[Need]:
    honest = bench.fit(train)
    return [
        Need(honest, ScoreReading(test)),
        Need(replace(honest, prepared_on=bench.split.cross_validated), ScoreReading(test)),
    ]


def _scored(bench: Bench, ledger: Ledger, which: int) -> ScoredPart:
    needs = [_pair(bench, fold.train, fold.test)[which] for fold in bench.split.long_folds]
    return bench.held_out(ledger, bench.split.long_folds, needs)


def _answer(bench: Bench, draft: Draft, main: str, place: int) -> str:
    gained, words = draft.figure(place), words_of(main)
    told = wording.listed(learned(bench))
    if gained.value is None:
        return f"What learning {told} from all rows gains can't be said: {gained.note}."
    interval = gained.interval(draft.level)
    lead = (
        f"Learning {told} from all rows instead of the training rows changes {words} by "
        f"{wording.figure(gained, draft.level)}"
    )
    if interval is None or interval[0] <= 0 <= interval[1]:
        return f"{lead}: no gain can be told from none on {wording.rows(gained.n)}."
    return f"{lead}: {'a figure so made flatters the model' if interval[0] > 0 else 'it does not flatter the model'}."
