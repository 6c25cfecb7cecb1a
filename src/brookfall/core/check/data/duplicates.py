"""Repeats: rows that stand there twice, that contradict each other, and that training and unseen rows share."""

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared.duplicate_rows import Repeated, Shared, repeats_of, shared_with_training
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.submission.subject import Subject

_COUNTED = "counted, not estimated"
_NONE_SHARED = Limit(at_most=0, ideal=0)


class Repeats(Check):
    name = "repeats"
    title = "Repeated and shared rows"
    question = 1
    source = "Exact counts; common practice."
    outcomes = ANY_OUTCOME
    reads = Reads(roles=("identifier", "naming"))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Count rows that repeat or contradict another, and those that training and unseen rows share.",
            "limit: no identifier or group shared",
        )

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        subject = bench.subject
        n = subject.table.n_rows
        found = repeats_of(subject)
        draft = Draft(bench.plan.policy.level)
        counts = [
            ("rows that repeat an earlier one", "repeated_share", len(found.repeated)),
            ("rows whose features stand elsewhere with another outcome", "contradicted_share", len(found.contradicted)),
        ]
        rows = [
            (
                text(words),
                at(draft.add(measure, _share(count, n), model="data", part="all")),
                text(wording.count(count)),
            )
            for words, measure, count in (counts if subject.features else counts[:1])
        ]
        shared = shared_with_training(bench)
        for one in shared:
            judged = one.names
            place = draft.add(
                one.measure,
                _share(len(one.rows), one.n),
                model="data",
                part=one.part,
                feature=one.column,
                versus=Versus(part="training"),
                limit=_NONE_SHARED if judged else None,
                standing=(Standing.OUTSIDE if len(one.rows) else Standing.WITHIN) if judged else None,
            )
            rows.append((text(one.words), at(place), text(wording.count(len(one.rows)))))
        table = TableView(title="Counted over all rows", columns=("what", "share", "rows"), rows=tuple(rows))
        return draft.write(_answer(subject, found, shared), tables=(table,))


def _share(count: int, n: int) -> Figure:
    return Figure(count / n if n else None, n, note=_COUNTED)


def _answer(subject: Subject, found: Repeated, shared: list[Shared]) -> list[str]:
    n, repeated, contradicted = subject.table.n_rows, len(found.repeated), len(found.contradicted)
    counted = "No row" if not repeated else wording.rows(repeated)
    # What is judged goes first.
    said = [one.sentence for one in sorted(shared, key=lambda one: not one.names) if len(one.rows) and one.names]
    said.append(
        f"{counted} of {wording.count(n)} repeat{'s' if repeated <= 1 else ''} an earlier one, identifiers aside."
    )
    if contradicted:
        said.append(
            f"{wording.rows(contradicted)} {'has' if contradicted == 1 else 'have'} the features of another row and "
            f"another '{subject.roles.target}': no model can be right on all of them."
        )
    said += [one.sentence for one in shared if len(one.rows) and not one.names and one.part == "test"]
    if shared and not any(len(one.rows) for one in shared):
        said.append("Training and unseen rows share none.")
    return said
