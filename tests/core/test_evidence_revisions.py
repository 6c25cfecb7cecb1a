"""Evidence that an earlier program wrote is read, shown and replayed; what differs is told by name."""

import json
import lzma
import re
from collections import Counter
from pathlib import Path

import pytest

from brookfall.core.retest.evidence_file import Evidence, read_evidence
from brookfall.demo import packages
from brookfall.report.charts import draw
from tests.core.test_cli import run, written

REVISION_1 = lzma.decompress((Path(__file__).parent / "evidence" / "revision-1.json.xz").read_bytes()).decode()
"""Of the first release's command line, with every check that its package allows."""


@pytest.fixture(scope="module")
def old() -> Evidence:
    return read_evidence(REVISION_1)


def test_revision_1_is_read_and_keeps_every_number(old: Evidence) -> None:
    was = json.loads(REVISION_1)
    assert old.read_from == 1
    for before, exhibit in zip(was["exhibits"], old.exhibits, strict=True):
        assert [(one["value"], one["low"], one["high"]) for one in before["estimates"]] == [
            (one.value, one.low, one.high) for one in exhibit.estimates
        ]
        assert exhibit.answer == before["answer"]
    ids = Counter(one.id for exhibit in old.exhibits for one in exhibit.estimates)
    assert ids.most_common(1)[0][1] == 1


def test_revision_1_says_what_revision_2_would(old: Evidence) -> None:
    by_check = {exhibit.check: exhibit for exhibit in old.exhibits}
    gap = next(one for one in by_check["gap"].estimates if one.measure == "auc_gap")
    assert (gap.quantity, gap.comparison, gap.leading) == ("auc", "gap", True)
    tie = next(one for one in by_check["association"].estimates if one.comparison == "p_value_holm")
    assert tie.quantity == "association"
    few = [one for exhibit in old.exhibits for one in exhibit.estimates if one.few]
    assert all("too few to judge" in (one.note or "") for one in few)


def test_revision_1_is_drawn(old: Evidence) -> None:
    drawn = {exhibit.check: draw(exhibit) for exhibit in old.exhibits}
    assert all(len(drawn[exhibit.check]) >= len(exhibit.charts) for exhibit in old.exhibits)
    assert all(one.startswith(("<svg", "<table", "<p>")) for charts in drawn.values() for one in charts)


def test_what_is_read_is_written_and_read_again(old: Evidence) -> None:
    again = read_evidence(old.to_json())
    assert again.read_from == 2
    assert again.exhibits == old.exhibits


def test_revision_1_is_replayed_number_for_number(tmp_path: Path) -> None:
    """But for what a later method says otherwise on purpose: scores and differences over folds, which contrasts are judged, Holm's p, bounds."""
    file = tmp_path / "evidence.json"
    file.write_text(REVISION_1)
    folder = written(tmp_path / "package", packages.smoke_alarm())
    done = run("replay", str(file), folder)
    assert done.exit_code == 1, done.output
    assert "The program is another than the one that made this evidence." in done.output
    differ = set(re.findall(r"exhibit \d+ \((\w+)\)", done.output))
    assert differ == {"coefficients", "cross_validation", "gap", "groups", "combinations", "labels", "shift"}

    kept = json.loads(REVISION_1)
    kept["exhibits"] = [one for one in kept["exhibits"] if one["check"] not in differ]
    kept["plan"]["checks"] = [name for name in kept["plan"]["checks"] if name not in differ]
    file.write_text(json.dumps(kept))
    done = run("replay", str(file), folder)
    assert done.exit_code == 0, done.output
    assert re.search(r"The values and intervals of all \d{2,3} estimates are the same to 1e-09", done.output)

    kept = json.loads(REVISION_1)
    kept["exhibits"] = [one for one in kept["exhibits"] if one["check"] == "holdout"]
    kept["plan"]["checks"] = ["holdout"]
    kept["exhibits"][0]["estimates"][0]["value"] += 1e-6
    file.write_text(json.dumps(kept))
    done = run("replay", str(file), folder)
    assert done.exit_code == 1
    assert "holdout/auc" in done.output


def test_a_replay_by_another_program_says_so(tmp_path: Path) -> None:
    folder = written(tmp_path / "package", packages.smoke_alarm())
    file = tmp_path / "evidence.json"
    assert run("retest", folder, "--only", "holdout", "--out", str(file)).exit_code == 0
    kept = json.loads(file.read_text())
    kept["environment"]["program"] = "0" * 64
    file.write_text(json.dumps(kept))
    done = run("replay", str(file), folder)
    assert done.exit_code == 0
    assert "The program is another" in done.output


@pytest.mark.parametrize(
    ("text", "says"),
    [("{}", "does not begin with brookfall: 1"), ('{"brookfall": 1, "revision": 9}', "of revision 9"), ("[]", "begin")],
)
def test_what_is_no_evidence_is_told(text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        read_evidence(text)
