"""From a package to exhibits: what the checks find, what is shared, and the same bits every time."""

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from click.testing import CliRunner

from brookfall.cli import main
from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.recipe.families import families
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.differences import differences
from brookfall.core.retest.run import ask, evaluate, jobs_of, retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from brookfall.demo import packages
from tests.conftest import OF_A_ROLE, files_of, small_plan


@pytest.fixture(scope="module")
def exhibits(bench: Bench) -> dict[str, Exhibit]:
    return {exhibit.check: exhibit for exhibit in retest(bench)}


def stripped(found: tuple[Exhibit, ...]) -> list[dict[str, object]]:
    """Exhibits without the seconds they took."""
    dumped = [exhibit.model_dump(mode="json") for exhibit in found]
    for one in dumped:
        one["provenance"] |= {"seconds": 0, "fit_seconds": {}}
    return dumped


def test_every_check_gives_an_exhibit(exhibits: dict[str, Exhibit]) -> None:
    assert tuple(exhibits) == small_plan().checks
    assert [exhibit.number for exhibit in exhibits.values()] == list(range(1, len(exhibits) + 1))
    for exhibit in exhibits.values():
        # No column of these rows holds times, or says whose outcome was looked at.
        assert exhibit.state == ("not_applicable" if exhibit.check in OF_A_ROLE else "done")
        assert exhibit.answer.endswith(".")
        json.dumps(exhibit.model_dump(mode="json"), allow_nan=False)


def test_no_estimate_is_a_bare_number(exhibits: dict[str, Exhibit]) -> None:
    for exhibit in exhibits.values():
        for estimate in exhibit.estimates:
            if estimate.value is None or (estimate.low is None and estimate.high is None):
                assert estimate.note, estimate
            else:
                assert estimate.method, estimate
                assert estimate.low is None or estimate.low <= estimate.value + 1e-12
                assert estimate.high is None or estimate.high >= estimate.value - 1e-12


def test_checks_share_their_fits(bench: Bench) -> None:
    asked = ask(bench)
    wanted = sum(len({need.fit.key for need in one.needs}) for one in asked)
    jobs = jobs_of(asked)
    # 4 folds × 2, the holdout; the claim is on the holdout's own split, with 20 refits; the baseline needs none.
    assert len(jobs) == 31
    assert wanted > 2 * len(jobs)


def test_marking_a_ground_or_moving_the_threshold_costs_no_fit(bench: Bench) -> None:
    keys = {job.fit.key for job in jobs_of(ask(bench))}
    subject = bench.subject
    roles = subject.roles.model_copy(
        update={"protected": (*subject.roles.protected, "kind"), "also_features": ("kind",)}
    )
    assert {job.fit.key for job in jobs_of(ask(Bench(replace(subject, roles=roles), bench.plan)))} == keys
    recipe = bench.recipe.model_copy(update={"threshold": 0.3})
    assert {job.fit.key for job in jobs_of(ask(Bench(replace(subject, recipe=recipe), bench.plan)))} == keys


def test_the_plans_seed_moves_splits_and_the_recipes_does_not(bench: Bench) -> None:
    other = Bench(bench.subject, small_plan(seed=12))
    assert (other.split.parts["test"] != bench.split.parts["test"]).any()
    recipe = bench.recipe.model_copy(update={"seed": 99})
    same = Bench(replace(bench.subject, recipe=recipe), bench.plan)
    assert (same.split.parts["test"] == bench.split.parts["test"]).all()


def test_same_bits_with_one_worker_and_with_three(bench: Bench) -> None:
    one, three = (retest(bench, workers=workers) for workers in (1, 3))
    assert stripped(one) == stripped(three)
    assert differences(one, three) == []


def test_same_bits_in_any_order_and_resumed(bench: Bench) -> None:
    jobs = jobs_of(ask(bench))
    whole, back, resumed = MemoryLedger(), MemoryLedger(), MemoryLedger()
    for job in jobs:
        whole.keep(execute(job, bench.subject))
    for job in reversed(jobs):
        back.keep(execute(job, bench.subject))
    # Killed half way: what was kept is not made again.
    for job in jobs[:4]:
        resumed.keep(whole.results[job.fit.key])
    for job in jobs:
        if job.fit.key not in resumed.results:
            resumed.keep(execute(job, bench.subject))
    first = tuple(evaluate(one, bench, whole) for one in ask(bench))
    for ledger in (back, resumed):
        assert stripped(tuple(evaluate(one, bench, ledger) for one in ask(bench))) == stripped(first)


def test_an_unpruned_tree_is_found_out() -> None:
    subject = subject_of(package_from_files(packages.home_visit_1()))
    gap = {e.check: e for e in retest(Bench(subject, small_plan(checks=["gap"])))}["gap"]
    assert gap.standing == "outside"
    assert "every row it was trained on" in gap.answer
    judged = [e for e in gap.estimates if e.standing]
    assert len(judged) == 1
    assert all((e.low or 0) > 0.05 for e in judged)


def test_older_women_of_one_group_are_found_only_in_the_combination() -> None:
    subject = subject_of(package_from_files(packages.home_visit_2()))
    found = {e.check: e for e in retest(Bench(subject, small_plan(checks=["groups", "combinations"])))}
    assert found["groups"].standing != "outside"
    (chart,) = [chart for chart in found["combinations"].charts if chart.kind == "combinations"]
    worse = [group.levels for one in chart.combinations for group in one.groups if group.worse]
    assert ("female", "65+", "Birch") in worse
    assert "No two of its grounds account for it." in found["combinations"].answer
    assert "women of 65 and over in group Birch" in found["combinations"].answer


def test_a_sound_model_is_not_accused() -> None:
    subject = subject_of(package_from_files(packages.smoke_alarm()))
    standings = {e.check: e.standing for e in retest(Bench(subject, small_plan()))}
    assert "outside" not in standings.values()
    assert "near" not in standings.values()


@pytest.mark.parametrize("family", [n for n, family in families().items() if "binary" in family.outcomes])
@pytest.mark.parametrize("encode", ["onehot", "ordinal", "target"])
def test_every_family_fits_and_repeats(subject: Subject, family: str, encode: str) -> None:
    recipe = Recipe.model_validate({"family": family, "preprocess": {"encode": encode, "rare": "0.02"}, "seed": 4})
    bench = Bench(replace(subject, recipe=recipe), small_plan(checks=["holdout"]))
    (job,) = jobs_of(ask(bench))
    first, second = (execute(job, bench.subject) for _ in range(2))
    assert first.failure is None
    for key, scores in first.readings.items():
        assert (scores == second.readings[key]).all()
        assert ((scores >= 0) & (scores <= 1)).all()


@pytest.mark.parametrize("missing", ["drop", "mean", "mode", "constant", "indicator"])
def test_gaps_are_treated_as_asked(subject: Subject, missing: str) -> None:
    recipe = Recipe.model_validate({"family": "logistic", "preprocess": {"missing": missing}})
    bench = Bench(replace(subject, recipe=recipe), small_plan(checks=["holdout"]))
    assert bench.subject.dropped == (11 if missing == "drop" else 0)
    (exhibit,) = retest(bench)
    assert exhibit.state == "done"
    assert len(bench.split.all_parts) == 400 - bench.subject.dropped


def test_without_a_recipe_checks_say_so() -> None:
    subject = subject_of(package_from_files(files_of(recipe=None)))
    found = retest(Bench(subject, small_plan()))
    assert {e.state for e in found if e.question > 1} == {"not_applicable"}
    assert all("recipe" in e.answer for e in found if e.question > 1)


def test_a_failed_fit_is_told_and_the_others_go_on(subject: Subject) -> None:
    recipe = Recipe(family="nearest_neighbours", settings={"k": 5000})
    found = {e.check: e for e in retest(Bench(replace(subject, recipe=recipe), small_plan()))}
    assert found["profile"].state == "done"
    assert found["holdout"].state == "failed"
    assert "neighbors" in found["holdout"].answer


def test_too_many_folds_are_as_many_as_can_be(subject: Subject) -> None:
    few = np.flatnonzero(subject.target.hits)[:12]
    rows = np.sort(np.concatenate([few, np.flatnonzero(~subject.target.hits)]))
    small = replace(subject, table=subject.table.take(rows))
    plan = small_plan(cross_validation={"folds": 20, "repeats": 1})
    found = {e.check: e for e in retest(Bench(small, plan))}
    assert found["cross_validation"].state == found["gap"].state == "done"
    assert found["cross_validation"].lines[0].startswith("There are 9 folds, not 20: only 9 rows of the rarest class")


def claims_on(claims: list[dict[str, str]], **changes: Any) -> list[str | None]:
    subject = subject_of(package_from_files(files_of(claims=claims, **changes)))
    (exhibit,) = retest(Bench(subject, small_plan(checks=["claims"])))
    return [estimate.verdict for estimate in exhibit.estimates]


def test_claims_are_judged_in_the_direction_that_flatters() -> None:
    assert claims_on(
        [
            {"measure": "auc", "part": "test", "value": "0.99"},
            {"measure": "auc", "part": "test", "value": "0.30"},
            {"measure": "brier", "part": "test", "value": "0.01"},
            {"measure": "accuracy", "part": "nowhere", "value": "0.5"},
            {"measure": "auc", "method": "cross_validation", "folds": "4", "value": "0.80"},
        ]
    ) == ["overstated", "understated", "overstated", "cannot_be_checked", "compatible"]


def test_the_owners_own_parts_must_reproduce() -> None:
    lines = files_of()["data/rows.csv"].decode().splitlines()
    with_parts = [f"{lines[0]},part"] + [f"{row},{'train' if i % 3 else 'holdout'}" for i, row in enumerate(lines[1:])]
    roles = {"target": "y", "positive": "yes", "identifier": ["id"], "part": "part"}
    changes: dict[str, Any] = {
        "csv": "\n".join(with_parts),
        "data": [{"name": "rows", "path": "data/rows.csv", "roles": roles}],
    }
    subject = subject_of(package_from_files(files_of(claims=[], **changes)))
    plan = small_plan(parts={"kind": "given"}, checks=["holdout"])
    (holdout,) = retest(Bench(subject, plan))
    value = next(e.value for e in holdout.estimates if e.measure == "auc" and e.part == "test")
    assert claims_on([{"measure": "auc", "part": "test", "value": f"{value:.3f}"}], **changes) == ["reproduced"]
    assert claims_on([{"measure": "auc", "part": "test", "value": f"{value + 0.02:.3f}"}], **changes) == [
        "not_reproduced"
    ]


def test_command_line_retests_and_replays(tmp_path: Path) -> None:
    for path, data in files_of().items():
        (tmp_path / "package" / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "package" / path).write_bytes(data)
    out, package = str(tmp_path / "evidence.json"), str(tmp_path / "package")
    run = CliRunner().invoke
    done = run(main, ["retest", package, "--seed", "5", "--only", "holdout", "--only", "gap", "--out", out])
    assert done.exit_code == 0, done.output
    evidence = json.loads(Path(out).read_text())
    assert evidence["plan"]["seed"] == 5
    assert [e["check"] for e in evidence["exhibits"]] == ["holdout", "gap"]
    same = run(main, ["replay", out, package])
    assert same.exit_code == 0, same.output
    assert "bit for bit" in same.output
    evidence["exhibits"][0]["estimates"][0]["value"] += 1e-12
    Path(out).write_text(json.dumps(evidence))
    other = run(main, ["replay", out, package])
    assert other.exit_code == 1
    assert "auc" in other.output


def test_command_line_names_what_is_unusable(tmp_path: Path) -> None:
    (tmp_path / "package").mkdir()
    done = CliRunner().invoke(main, ["retest", str(tmp_path / "package")])
    assert done.exit_code == 2
    assert "submission.yaml" in done.stderr
