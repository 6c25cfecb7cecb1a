"""Profile: how many rows, how complete, how balanced, how many twice."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.evidence.chart import TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import figure_of, mean_of
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.scored import Scored, ScoredNumbers
from brookfall.core.recipe.rows_with_gaps import rows_with_gaps
from brookfall.core.submission.subject import Subject
from brookfall.core.table.duplicate_rows import first_of_each
from brookfall.core.table.occasions import Choices
from brookfall.core.table.profile import profile_column


class Profile(Check):
    name = "profile"
    title = "Profile"
    question = 1
    source = "Counts; Wilson 1927 for shares of rows; Hall 1992 for means."
    outcomes = ANY_OUTCOME

    def sentence(self, about: About) -> Sentence:
        share = f"the share of {about.positive}" if about.positive else "the outcome"
        return say(f"Describe the rows: gaps, repeats, and {share} in each part.")

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        subject = bench.subject
        table = subject.table.select(subject.features)
        n = subject.table.n_rows
        gaps = int(rows_with_gaps(table).sum())
        known = subject.with_outcome
        repeated = _repeated(subject, known)
        choices = subject.choices
        draft = Draft(bench.plan.policy.level)
        parts = {"all": known, **bench.split.parts}
        shown = {
            (part, label): draft.add(measure, figure, part=part, class_=class_)
            for part, rows in parts.items()
            for label, measure, class_, figure in _outcomes(bench, rows)
        }
        labels = list(dict.fromkeys(label for _, label in shown))
        features = wording.counted(len(subject.features), "feature") if subject.features else "no features"
        said = [
            f"{wording.rows(n)} with {features}; "
            f"{_balance(bench, draft, shown, labels) if choices is None else _of_choices(choices)}."
        ]
        if subject.features:
            said.append(_of_gaps(gaps, repeated if choices is None else None))
        unobserved = len(subject.unobserved)
        if unobserved:
            said.append(
                f"Of {wording.rows(unobserved)} the outcome was not looked at; they are scored, never learned from."
            )
        if subject.dropped > unobserved:
            said.append(f"{wording.rows(subject.dropped - unobserved)} {_why_dropped(bench)} before any split.")
        columns = TableView(
            title="The features",
            columns=("column", "what it is", "distinct"),
            rows=tuple(
                (text(column.name), text(described.words), text(wording.count(described.distinct)))
                for column in table.columns
                for described in [profile_column(column)]
            ),
        )
        balance = TableView(
            title="The outcome by part",
            columns=("part", *labels),
            rows=tuple(
                (text("all rows" if part == "all" else part), *(at(shown[part, label]) for label in labels))
                for part in parts
            ),
        )
        return draft.write(said, tables=(balance, columns))


def _of_gaps(gaps: int, repeated: int | None) -> str:
    """How many rows have a gap, and how many repeat another; None where that says nothing."""
    said = f"{wording.rows(gaps)} {'has' if gaps == 1 else 'have'} a gap in a feature" if gaps else "No row has a gap"
    if repeated is None:
        return f"{said}."
    if not repeated:
        return f"{said}, and none repeats another's features and outcome."
    return f"{said}, and {wording.rows(repeated)} repeat{'s' if repeated == 1 else ''} another's features and outcome."


def _repeated(subject: Subject, rows: Rows) -> int:
    """How many rows repeat the features and the outcome of another; none where there is no feature."""
    if not subject.features:
        return 0
    said = subject.table.select([*subject.features, subject.roles.target]).take(rows)
    return len(rows) - len(first_of_each(said))


def _outcomes(bench: Bench, rows: Rows) -> list[tuple[str, str, str | None, Figure]]:
    """What is said of the outcome of some rows: heading, measure, class, figure."""
    target, common = bench.subject.target, bench.subject.sampling(rows, "profile")
    if target.outcome == "number":
        values = target.numbers[rows]
        sample = ScoredNumbers(outcomes=values, predictions=values, **common)
        return [("mean outcome", "mean_outcome", None, figure_of(mean_of(values, sample.counted), sample))]
    wanted = [1] if target.yes_no else range(len(target.classes))
    found: list[tuple[str, str, str | None, Figure]] = []
    for code in wanted:
        hits = target.codes[rows] == code
        alone = Scored(outcomes=hits, scores=hits.astype(np.float64), threshold=0.5, **common)
        class_ = None if target.yes_no else target.classes[code]
        found.append((f"share of '{target.classes[code]}'", "base_rate", class_, share_of(hits, alone).figure()))
    return found


def _balance(bench: Bench, draft: Draft, shown: dict[tuple[str, str], int], labels: list[str]) -> str:
    if bench.subject.outcome != "multiclass":
        return f"the {labels[0]} is {wording.figure(draft.figure(shown['all', labels[0]]), draft.level)}"
    smallest = min(labels, key=lambda label: draft.figure(shown["all", label]).value or 0.0)
    figure = wording.figure(draft.figure(shown["all", smallest]), draft.level)
    return f"{len(labels)} classes, the smallest with a {smallest} of {figure}"


def _of_choices(choices: Choices) -> str:
    """What is chosen among, in words."""
    occasions = len(np.unique(choices.occasion))
    offered = float(choices.available.sum()) / occasions
    return (
        f"{wording.count(occasions)} occasions with {offered:.1f} of {len(choices.alternatives)} alternatives to "
        "choose from on average"
    )


def _why_dropped(bench: Bench) -> str:
    if bench.subject.choices is not None:
        return "that could not be had, or of occasions with gaps or of weight 0, were left out"
    recipe, weights = bench.subject.recipe, bench.subject.weights
    drops = recipe is not None and recipe.preprocess.missing == "drop"
    weightless = weights is not None and bool((weights == 0).any())
    if drops and weightless:
        return "with gaps or of weight 0 were dropped"
    return "with gaps were dropped" if drops else "of weight 0 were left out"
