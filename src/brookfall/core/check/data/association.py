"""Association: how strongly each feature goes together with the target."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.target_column import target_column
from brookfall.core.evidence.chart import TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.foundation import wording
from brookfall.core.measure.association import KIND_WORDS, Association, associate
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import holm
from brookfall.core.submission.subject import Subject

_LEVEL = 0.05


@dataclass(frozen=True)
class Tied:
    """A feature with its association with the target, and its p value among those of all features (Holm)."""

    feature: str
    tie: Association
    p: float | None


class WithTarget(Check):
    name = "association"
    title = "Association with the target"
    question = 1
    needs_features = True
    source = (
        "Pearson, with Hall 1992 on influence values; correlation ratio with noncentral F (Steiger 2004), or with Hall "
        "where it is clear; Cramér's V corrected (Bergsma 2013) with noncentral chi-square (Smithson 2003); Holm 1979."
    )
    outcomes = ANY_OUTCOME

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Say how strongly each feature goes together with the target.")

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        ties = ties_with_target(bench.subject)
        draft = Draft(bench.plan.policy.level)
        places = {
            tied.feature: draft.add("association", tied.tie.figure, model="data", feature=tied.feature) for tied in ties
        }
        rows = []
        for tied in ties:
            n, tie = tied.tie.figure.n, tied.tie
            shared = Figure(
                tie.information, n, note=f"{tie.by_chance:.4f} by chance; positive even when nothing is there"
            )
            told = draft.add("mutual_information", shared, model="data", feature=tied.feature)
            alone = Figure(tie.p, n, note="a p value has no interval")
            raw = draft.add("association", alone, comparison="p_value", model="data", feature=tied.feature)
            p = draft.add(
                "association",
                Figure(tied.p, n, "holm", note="a p value has no interval"),
                comparison="p_value_holm",
                model="data",
                feature=tied.feature,
            )
            rows.append(
                (text(tied.feature), text(KIND_WORDS[tie.kind]), at(places[tied.feature]), at(told), at(raw), at(p))
            )
        entries = [(f"{tied.feature}, {KIND_WORDS[tied.tie.kind]}", places[tied.feature], "data") for tied in ties]
        strip = pictures.ranking("The strongest ties", f"With {bench.subject.roles.target}", entries)
        table = TableView(
            title="Every feature, the strongest first",
            columns=("feature", "measure", "strength", "mutual information", "p", "p (Holm)"),
            rows=tuple(rows),
        )
        return draft.write(_answer(ties, draft, places, bench), charts=(strip,), tables=(table,))


def ties_with_target(subject: Subject) -> list[Tied]:
    """Every feature's association with the target over the rows in use, the strongest first."""
    rows, table = subject.rows, subject.table
    found = []
    for name in subject.features:
        column = table.column(name).take(rows)
        found.append((name, associate(column, target_column(subject, column).take(rows))))
    known = [tie.p for _, tie in found if tie.p is not None]
    adjusted = iter(holm(np.array(known)).tolist())
    ties = [Tied(name, tie, None if tie.p is None else next(adjusted)) for name, tie in found]
    return sorted(ties, key=lambda tied: -tied.tie.strength)


def _answer(ties: list[Tied], draft: Draft, places: dict[str, int], bench: Bench) -> list[str]:
    judged = [tied for tied in ties if tied.p is not None]
    if not judged:
        return ["No feature varies together with the target on enough rows to say how strongly."]
    clear = [tied for tied in judged if (tied.p or 0.0) <= _LEVEL]
    first = judged[0]
    figure = draft.figure(places[first.feature])
    said = [
        f"'{first.feature}' is most closely associated with '{bench.subject.roles.target}': "
        f"{KIND_WORDS[first.tie.kind]} is {wording.figure(figure, draft.level)} on {wording.rows(figure.n)}."
    ]
    some = "None" if not clear else wording.count(len(clear))
    said.append(
        f"{some} of {wording.counted(len(judged), 'feature')} {'is' if len(clear) <= 1 else 'are'} associated with it "
        "beyond chance (p ≤ 0.05, Holm)."
    )
    subject = bench.subject
    if subject.weights is not None or subject.clusters is not None:
        said.append("Rows count once here and stand for themselves, whatever their weight or group.")
    return said
