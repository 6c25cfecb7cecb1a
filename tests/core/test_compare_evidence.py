"""Two programs' evidence set side by side: what is the same, drawn anew, added, other or gone."""

import json
import sys
from pathlib import Path
from typing import Any

import pytest
from scripts import compare_evidence
from scripts.compare_evidence import compared, near

from brookfall.core.check.bench import Bench
from brookfall.core.retest.evidence_file import evidence_of, read_evidence
from brookfall.core.retest.run import retest
from tests.core.test_unseen import plan, subject


@pytest.fixture(scope="module")
def kept() -> dict[str, Any]:
    bench = Bench(subject(), plan("holdout", "gap", "optimism"))
    evidence = evidence_of("0" * 64, bench.plan, bench.subject.roles, retest(bench))
    return dict(json.loads(evidence.to_json()))


def changed(kept: dict[str, Any], check: str, place: int, **values: object) -> dict[str, Any]:
    other = json.loads(json.dumps(kept))
    (exhibit,) = [one for one in other["exhibits"] if one["check"] == check]
    exhibit["estimates"][place].update(values)
    return dict(other)


def outcome(before: dict[str, Any], after: dict[str, Any]) -> compare_evidence.Count:
    return compared(read_evidence(json.dumps(before)), read_evidence(json.dumps(after)))


def test_the_same_is_the_same(kept: dict[str, Any]) -> None:
    found = outcome(kept, kept)
    assert found.same == sum(len(one["estimates"]) for one in kept["exhibits"])
    assert (found.drawn, found.added, found.other) == (0, 0, [])


def test_another_value_is_told_with_both(kept: dict[str, Any]) -> None:
    (line,) = outcome(kept, changed(kept, "holdout", 0, value=0.123456)).other
    first = next(one for one in kept["exhibits"] if one["check"] == "holdout")["estimates"][0]
    assert line == f"{first['id']}: {first['value']!r} before, 0.123456 now"


def test_another_end_in_closed_form_is_a_difference(kept: dict[str, Any]) -> None:
    found = outcome(kept, changed(kept, "holdout", 0, low=0.0001))
    assert len(found.other) == 1
    assert found.drawn == 0


def test_another_end_that_is_drawn_is_counted_apart(kept: dict[str, Any]) -> None:
    (optimism,) = [one for one in kept["exhibits"] if one["check"] == "optimism"]
    drawn = [
        place
        for place, one in enumerate(optimism["estimates"])
        if str(one["method"]).startswith(("bootstrap", "range_of_draws", "t_over_draws"))
    ]
    assert drawn
    found = outcome(kept, changed(kept, "optimism", drawn[0], low=0.0001))
    assert (found.drawn, found.other) == (1, [])


def test_what_is_gone_is_told_and_what_is_new_is_counted(kept: dict[str, Any]) -> None:
    fewer = {**kept, "exhibits": kept["exhibits"][:1]}
    found = outcome(kept, fewer)
    assert len(found.other) == sum(len(one["estimates"]) for one in kept["exhibits"][1:])
    assert all(line.endswith("before") and ": gone, " in line for line in found.other)
    assert outcome(fewer, kept).added == len(found.other)
    assert outcome(fewer, kept).other == []


def test_near_is_relative_and_knows_none() -> None:
    assert near(1e9, 1e9 + 1e-4)
    assert not near(1.0, 1.0 + 1e-9)
    assert near(None, None)
    assert not near(None, 0.0)


def test_folders_are_compared_file_by_file(
    kept: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for folder in ("before", "after"):
        (tmp_path / folder).mkdir()
        for name in ("one.json", "two.json"):
            (tmp_path / folder / name).write_text(json.dumps(kept))
    monkeypatch.setattr(sys, "argv", ["compare", str(tmp_path / "before"), str(tmp_path / "after")])
    with pytest.raises(SystemExit) as same:
        compare_evidence.main()
    assert same.value.code == 0
    (tmp_path / "after" / "two.json").write_text(json.dumps(changed(kept, "holdout", 0, value=0.5)))
    with pytest.raises(SystemExit) as other:
        compare_evidence.main()
    assert other.value.code == 1
    said = capsys.readouterr().out
    assert said.count("one.json: ") == said.count("two.json: ") == 2
    assert "1 other or gone" in said
