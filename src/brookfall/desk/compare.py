"""Comparing models on the rows that all of them have scored, from the readings that runs have left."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from brookfall.core.candidate.candidate import Candidate
from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Written
from brookfall.core.fit.request import gather
from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import forms, words_of
from brookfall.core.retest.compare_models import best_of, compare_models
from brookfall.desk import people
from brookfall.desk.bench import bench_of
from brookfall.desk.views import CandidateView, ComparisonView
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import layout_key
from brookfall.records.people import Person
from brookfall.records.recent import last_few

_COMPARISON = "comparison"
"""What stands in place of a check in the ids of a comparison."""
_AT_FIRST = 4
"""So many models are shown where nobody chose."""


@dataclass(frozen=True)
class _Compared:
    written: Written
    n: int


def comparison(
    session: Session, person: Person, case_id: int, part: str | None, measure: str | None, names: Sequence[str]
) -> ComparisonView:
    """The chosen models side by side, by a measure on a part; by default the plan's own, and the best few."""
    case = people.case_for(session, person, case_id)
    bench = bench_of(session, case)
    every = [one for one in bench.candidates.values() if one.parts]
    parts = list(dict.fromkeys(name for one in every for name in one.parts))
    chosen_part = part if part in parts else next((p for p in (bench.plan.deciding_part,) if p in parts), parts[0])
    measures = {name: words_of(name) for name in forms(case.outcome, "plan")}
    chosen_measure = measure if measure in measures else bench.plan.main_measure
    missing = {one.name: _missing(session, one, chosen_part) for one in every if chosen_part in one.parts}
    there = [one for one in every if missing.get(one.name) == 0]
    chosen = [one for one in there if one.name in names]
    if not chosen:
        kept = ledger.load(session, [need for one in there for need in one.needs(chosen_part)])
        chosen = best_of(kept, there, chosen_part, chosen_measure, _AT_FIRST)
    compared, problem = None, None
    try:
        compared = _compared(session, case, bench, chosen, chosen_part, chosen_measure)
    except UserError as caught:
        problem = str(caught)
    return ComparisonView(
        part=chosen_part,
        parts=parts,
        measure=chosen_measure,
        measures=measures,
        candidates=[
            CandidateView(name=one.name, words=one.words, chosen=one in chosen, missing=missing[one.name])
            for one in every
            if one.name in missing
        ],
        n=compared.n if compared else 0,
        problem=problem,
        answer=compared.written.answer if compared else "",
        estimates=list(compared.written.estimates(_COMPARISON)) if compared else [],
        charts=list(compared.written.charts_in(_COMPARISON)) if compared else [],
        series=compared.written.series if compared else {},
        tables=list(compared.written.tables_in(_COMPARISON)) if compared else [],
    )


def _missing(session: Session, one: Candidate, part: str) -> int:
    """How many of its fits have not been made."""
    try:
        return len(ledger.missing(session, gather(list(one.needs(part)))))
    except UserError:
        return 1


def _compared(
    session: Session, case: Case, bench: Bench, chosen: list[Candidate], part: str, measure: str
) -> _Compared:
    names = [one.name for one in chosen]
    key = digest.of_json([layout_key(case), part, measure, names])
    return _compare(key, session, bench, chosen, part, measure)


@last_few(8)
def _compare(_key: str, session: Session, bench: Bench, chosen: list[Candidate], part: str, measure: str) -> _Compared:
    kept = ledger.load(session, [need for one in chosen for need in one.needs(part)])
    written, rows = compare_models(bench, kept, chosen, part, measure)
    return _Compared(written, len(rows))
