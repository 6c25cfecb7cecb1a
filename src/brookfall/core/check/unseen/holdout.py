"""Holdout: every part side by side, the confusion matrix, the curves; the recipe and supplied scores alike."""

from collections.abc import Mapping

from brookfall.core.check.bench import ARTIFACT, RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Cell, RowsOf, StripChart, StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.registry import class_measure, forms, measure, words_of
from brookfall.core.measure.scored import AnyScored, Picked, Scored, ScoredClasses

Place = tuple[str, str, str]
"""Measure, model, part."""


class Holdout(Check):
    name = "holdout"
    title = "Holdout"
    question = 3
    source = (
        "Wilson 1927; DeLong, DeLong & Clarke-Pearson 1988; Hall 1992 on influence values; Cox 1958 (calibration); "
        "Hand & Till 2001."
    )
    outcomes = ANY_OUTCOME
    reads = Reads(subject=("claims",))

    def sentence(self, about: About) -> Sentence:
        what = "errors by prediction" if about.number else "confusion matrix, curves"
        return say(f"Set every part side by side: measures, {what}.")

    def requests(self, bench: Bench) -> list[Need]:
        return bench.holdout_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        outcome = bench.subject.outcome
        models = {model: bench.model_parts(ledger, model) for model in bench.models_of(ledger)}
        places = {
            (name, model, part): draft.add(
                name,
                measure(name, rows),
                model=model,
                part=part,
                threshold=rows.threshold if isinstance(rows, Scored) else None,
            )
            for name in forms(outcome, "parts")
            for model, parts in models.items()
            for part, rows in parts.items()
        }
        titled = {
            f"{part}{pictures.of_model(model, bench)}": rows
            for model, parts in models.items()
            for part, rows in parts.items()
        }
        sources = {
            f"{part}{pictures.of_model(model, bench)}": RowsOf(model=model, part=part)
            for model, parts in models.items()
            for part in parts
        }
        lines, series = pictures.curve_charts(titled, draft.level, sources)
        unseen = {model: _unseen(parts) for model, parts in models.items()}
        matrices = [
            pictures.matrix(
                models[model][part], _matrix_title(bench, model, part), bench, RowsOf(model=model, part=part)
            )
            for model, part in unseen.items()
        ]
        by_class = [_by_class(draft, bench, model, part, models[model][part]) for model, part in unseen.items()]
        return draft.write(
            _answer(bench, draft, places, unseen),
            charts=(*_strips(bench, models, places), *(one for one in matrices if one is not None), *lines),
            series=series,
            tables=(_table(bench, models, places), *(one for one in by_class if one is not None)),
        )


def _unseen(parts: Mapping[str, AnyScored]) -> str:
    return "test" if "test" in parts else list(parts)[-1]


def _strips(
    bench: Bench, models: Mapping[str, Mapping[str, AnyScored]], places: dict[Place, int]
) -> tuple[StripChart, ...]:
    claims = {
        claim.measure: claim.value
        for claim in bench.subject.claims
        if claim.part == "test" and claim.class_ is None and claim.threshold in (None, bench.subject.threshold)
    }
    groups = [
        (
            name,
            StripGroup(
                label=pictures.in_words(name),
                rows=tuple(
                    StripRow(
                        estimate=places[name, model, part],
                        label=f"{part}{pictures.of_model(model, bench)}",
                        colour=part if model == RECIPE else f"supplied:{part}",
                    )
                    for model, parts in models.items()
                    for part in parts
                ),
                claim=claims.get(name),
            ),
        )
        for name in forms(bench.subject.outcome, "strip")
    ]
    return pictures.strips("Each part on one scale", groups)


def _rows_of(bench: Bench, part: str) -> str:
    return f"{part} {bench.subject.unit}s"


def _matrix_title(bench: Bench, model: str, part: str) -> str:
    threshold = bench.subject.threshold
    how = "" if bench.subject.outcome != "binary" or threshold is None else f", score ≥ {threshold:g}"
    return f"Confusion matrix, {_rows_of(bench, part)}{how}{pictures.of_model(model, bench)}"


def _table(bench: Bench, models: Mapping[str, Mapping[str, AnyScored]], places: dict[Place, int]) -> TableView:
    columns = [(model, part) for model, parts in models.items() for part in parts]
    return TableView(
        title="All measures by part",
        columns=("measure", *(f"{part}{pictures.of_model(model, bench)}" for model, part in columns)),
        rows=tuple(
            (text(words_of(name)), *(at(places[name, model, part]) for model, part in columns))
            for name in forms(bench.subject.outcome, "parts")
        ),
    )


_EACH = {"row": "Class by class", "occasion": "Alternative by alternative"}


def _by_class(draft: Draft, bench: Bench, model: str, part: str, rows: AnyScored) -> TableView | None:
    if isinstance(rows, Picked):
        rows = rows.as_classes
    if not isinstance(rows, ScoredClasses):
        return None
    body: list[tuple[Cell, ...]] = []
    for position, label in enumerate(rows.classes):
        cells = [
            at(draft.add(name, class_measure(name, rows, position), model=model, part=part, class_=label))
            for name in forms("binary", "class")
        ]
        body.append((text(label), *cells))
    return TableView(
        title=f"{_EACH[bench.subject.unit]} against the rest, {_rows_of(bench, part)}{pictures.of_model(model, bench)}",
        columns=(
            "class" if bench.subject.choices is None else "alternative",
            *(words_of(name) for name in forms("binary", "class")),
        ),
        rows=tuple(body),
    )


def _answer(bench: Bench, draft: Draft, places: dict[Place, int], unseen: dict[str, str]) -> list[str]:
    main = bench.plan.main_measure
    words = words_of(main)
    said: list[str] = []
    for model, part in unseen.items():
        figure = draft.figure(places[main, model, part])
        if model == RECIPE:
            training = draft.figure(places[main, model, "training"])
            said.append(
                f"On {bench.subject.counted(figure.n)} it has not seen, {words} is "
                f"{wording.figure(figure, draft.level)}; on its own {wording.count(training.n)} training "
                f"{bench.subject.unit}s it is {wording.number(training.value)}."
            )
        else:
            whose = "fitted model on" if model == ARTIFACT else "supplied scores of"
            said.append(
                f"By the {whose} {bench.subject.counted(figure.n)} ({part}), {words} is "
                f"{wording.figure(figure, draft.level)}."
            )
    share = len(bench.split.parts["training"]) / len(bench.split.all_parts)
    if RECIPE in unseen and not 0.5 <= share <= 0.8:
        said.append(
            f"Training holds {wording.percent(share, 0)} of the rows; between 50 % and 80 % is common practice."
        )
    return said
