"""The command line: plans as YAML, what it prints, exit codes, replays on another processor."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
import yaml
from click.testing import CliRunner, Result

from brookfall.cli import main
from brookfall.core.check.bench import Bench
from brookfall.core.retest.differences import differences
from brookfall.core.retest.evidence_file import evidence_of, read_evidence
from brookfall.core.retest.run import retest
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.package import open_package
from brookfall.core.submission.subject import subject_of
from brookfall.demo import packages
from tests.conftest import files_of


def written(folder: Path, files: dict[str, bytes]) -> str:
    for path, data in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    return str(folder)


def run(*arguments: str) -> Result:
    return CliRunner().invoke(main, list(arguments))


@pytest.fixture(scope="module")
def package(tmp_path_factory: pytest.TempPathFactory) -> str:
    return written(tmp_path_factory.mktemp("package"), files_of())


def test_a_plan_is_written_changed_and_used(package: str, tmp_path: Path) -> None:
    plan = yaml.safe_load(run("plan", package).stdout)
    assert plan["cross_validation"]["folds"] == 5
    plan["cross_validation"] |= {"kind": "random_splits", "folds": 3, "test": 30}
    plan["checks"] = ["cross_validation"]
    (tmp_path / "plan.yaml").write_text(yaml.safe_dump(plan))
    done = run("retest", package, "--plan", str(tmp_path / "plan.yaml"))
    assert done.exit_code == 0, done.output
    (exhibit,) = json.loads(done.stdout)["exhibits"]
    assert "3 random holdouts" in exhibit["answer"]


def test_a_plan_that_cannot_be_read_says_so(package: str, tmp_path: Path) -> None:
    (tmp_path / "plan.yaml").write_text("folds: many")
    done = run("retest", package, "--plan", str(tmp_path / "plan.yaml"))
    assert done.exit_code == 2
    assert "The plan can't be read" in done.stderr
    assert run("plan", str(tmp_path)).exit_code == 2


def test_a_package_is_checked_without_a_fit(package: str, tmp_path: Path) -> None:
    done = run("check", package)
    assert done.exit_code == 0, done.output
    assert "can be submitted (400 rows, 3 features; recipe: logistic" in done.stdout
    broken = written(tmp_path, files_of(csv="x,y\n1,2\n"))
    done = run("check", broken)
    assert done.exit_code == 2
    assert "A role names a column that the data do not have" in done.stderr


def test_help_loads_no_library() -> None:
    code = "import sys, brookfall.cli; print([one for one in ('numpy', 'pandas', 'sklearn') if one in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == "[]"


def test_a_check_loads_nothing_that_fits_or_computes(package: str) -> None:
    code = (
        "import sys; from brookfall.cli import main\n"
        "try: main(['check', sys.argv[1]])\n"
        "except SystemExit as left: assert not left.code\n"
        "names = ('scipy.special', 'scipy.optimize', 'sklearn', 'statsmodels', 'lightgbm', 'flask', 'sqlalchemy')\n"
        "print([one for one in names if one in sys.modules], file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", code, package], capture_output=True, text=True, timeout=60, check=True)
    assert "can be submitted" in done.stdout
    assert done.stderr.strip() == "[]"


def test_one_job_and_two_write_the_same_evidence(package: str, tmp_path: Path) -> None:
    texts = []
    for jobs in ("1", "2"):
        out = tmp_path / f"{jobs}.json"
        assert run("retest", package, "--jobs", jobs, "--only", "gap", "--out", str(out)).exit_code == 0
        evidence = read_evidence(out.read_text())
        texts.append(evidence.exhibits)
    assert differences(texts[0], texts[1]) == []


@pytest.mark.parametrize("make", [packages.turnout_time, packages.cause_triage, packages.pump_failure])
def test_every_kind_of_outcome_is_retested_and_replayed(make: object, tmp_path: Path) -> None:
    folder = written(tmp_path / "package", make())
    out = str(tmp_path / "evidence.json")
    done = run("retest", folder, "--only", "holdout", "--only", "claims", "--out", out)
    assert done.exit_code == 0, done.output
    assert "holdout" in done.stdout
    again = run("replay", out, folder)
    assert again.exit_code == 0, again.output
    assert "bit for bit" in again.output


def test_a_script_may_still_name_a_check_as_it_once_was(package: str, tmp_path: Path) -> None:
    out = tmp_path / "evidence.json"
    done = run("retest", package, "--only", "errors", "--only", "selection_pairs", "--out", str(out))
    assert done.exit_code == 0, done.output
    found = [exhibit["check"] for exhibit in json.loads(out.read_text())["exhibits"]]
    assert found == ["groups", "combinations"]


def test_on_another_processor_a_replay_allows_the_last_digits(package: str, tmp_path: Path) -> None:
    out = tmp_path / "evidence.json"
    assert run("retest", package, "--only", "holdout", "--out", str(out)).exit_code == 0
    evidence = json.loads(out.read_text())
    evidence["exhibits"][0]["estimates"][0]["value"] += 1e-12
    out.write_text(json.dumps(evidence))
    assert run("replay", str(out), package).exit_code == 1
    evidence["environment"]["simd"] = "another"
    out.write_text(json.dumps(evidence))
    done = run("replay", str(out), package)
    assert done.exit_code == 0, done.output
    assert "The environment is another; it differs in simd." in done.output
    assert "estimates are equal to 1e-09" in done.output
    evidence["exhibits"][0]["estimates"][0]["value"] += 1e-6
    out.write_text(json.dumps(evidence))
    done = run("replay", str(out), package)
    assert done.exit_code == 1
    assert "auc" in done.output


def test_another_package_or_file_is_refused(package: str, tmp_path: Path) -> None:
    out = tmp_path / "evidence.json"
    assert run("retest", package, "--only", "profile", "--out", str(out)).exit_code == 0
    other = written(tmp_path / "other", packages.smoke_alarm())
    done = run("replay", str(out), other)
    assert done.exit_code == 2
    assert "not the package that the evidence is about" in done.stderr
    (tmp_path / "none.json").write_text("{}")
    assert run("replay", str(tmp_path / "none.json"), package).exit_code == 2


@pytest.mark.parametrize(
    ("check", "recipe"),
    [
        ("shuffled", {"family": "logistic"}),
        ("complexity", {"family": "tree"}),
        ("labels", {"family": "logistic"}),
        ("trees", {"family": "gradient_boosting", "settings": {"trees": 3}}),
        ("coefficients", {"family": "logistic", "settings": {"penalty": "l2", "strength": 2}}),
        ("influence", {"family": "forest", "settings": {"trees": 5}}),
        ("shape", {"family": "tree", "settings": {"depth": 3}}),
        ("sensitivity", {"family": "nearest_neighbours", "threshold": 0.5}),
    ],
)
def test_checks_of_memory_and_sense_are_replayed_bit_for_bit(
    check: str, recipe: dict[str, object], tmp_path: Path
) -> None:
    folder = written(tmp_path / "package", files_of(recipe=recipe, claims=[]))
    out = tmp_path / "evidence.json"
    done = run("retest", folder, "--only", check, "--out", str(out))
    assert done.exit_code == 0, done.output
    (exhibit,) = read_evidence(out.read_text()).exhibits
    assert exhibit.state == "done", exhibit.answer
    again = run("replay", str(out), folder)
    assert again.exit_code == 0, again.output
    evidence = json.loads(out.read_text())
    name = sorted(evidence["exhibits"][0]["series"])[0] if evidence["exhibits"][0]["series"] else None
    if name is not None:
        column = next(iter(evidence["exhibits"][0]["series"][name].values()))
        column[0] = (column[0] or 0.0) + 0.25
        out.write_text(json.dumps(evidence))
        assert f"the series {name}" in run("replay", str(out), folder).output


def test_a_replay_learns_from_labels_as_they_were_marked(tmp_path: Path) -> None:
    folder = written(tmp_path / "package", files_of(claims=[]))
    plain, marked = tmp_path / "plain.json", tmp_path / "marked.json"
    assert run("retest", folder, "--only", "labels", "--out", str(plain)).exit_code == 0
    evidence = read_evidence(plain.read_text())
    marks = tuple(LabelMark(row=row, verdict="wrong") for row in range(0, 60, 3))
    subject = subject_of(open_package(Path(folder)))
    made = evidence_of(
        evidence.package.sha256,
        evidence.plan,
        evidence.roles,
        retest(Bench(subject, evidence.plan, marks)),
        marks=marks,
    )
    marked.write_text(made.to_json())
    assert run("replay", str(marked), folder).exit_code == 0
    # Without its marks the same evidence can't come out.
    forgotten = json.loads(made.to_json()) | {"marks": []}
    marked.write_text(json.dumps(forgotten))
    done = run("replay", str(marked), folder)
    assert done.exit_code == 1
    assert "labels" in done.output
