"""What changed between two versions of a model."""

import yaml

from brookfall.core.submission.difference import Version, version_changes
from brookfall.core.submission.package import package_from_files
from tests.conftest import files_of, rows_csv


def version(files: dict[str, bytes]) -> Version:
    package = package_from_files(files)
    columns = {column.name: column.kind for column in package.table.columns}
    return Version(
        package.submission, {path: str(len(data)) for path, data in files.items()}, columns, package.table.n_rows
    )


def changed(files: dict[str, bytes], **parts: dict[str, object]) -> dict[str, bytes]:
    declared = yaml.safe_load(files["submission.yaml"])
    for name, values in parts.items():
        declared[name].update(values)
    return {**files, "submission.yaml": yaml.safe_dump(declared).encode()}


def test_equal_versions_differ_in_nothing() -> None:
    assert version_changes(version(files_of()), version(files_of())) == ()


def test_every_kind_of_change_is_said() -> None:
    before = files_of(
        recipe={"family": "logistic", "threshold": 0.5}, claims=[{"measure": "auc", "part": "test", "value": "0.80"}]
    )
    lines = rows_csv().splitlines()
    csv = "\n".join([f"{lines[0]},more", *(f"{line},{i}" for i, line in enumerate(lines[1:-1]))])
    after = files_of(
        csv,
        recipe={"family": "tree", "settings": {"depth": 4}, "threshold": 0.4},
        claims=[
            {"measure": "auc", "part": "test", "value": "0.85"},
            {"measure": "brier", "part": "test", "value": "0.1"},
        ],
    )
    after = changed(after, model={"tier": 2, "purpose": "Something else"})
    after["model/model.onnx"] = b"x"
    found = [(change.about, change.words) for change in version_changes(version(before), version(after))]
    about = [about for about, _ in found]
    assert about == sorted(about, key=["model", "files", "data", "roles", "recipe", "claims"].index)
    words = [words for _, words in found]
    for expected in (
        "model/model.onnx added",
        "new column more",
        "family: logistic → tree",
        "settings depth: none → 4",
        "threshold: 0.5 → 0.4",
        "AUC, test: 0.80 → 0.85",
        "Brier score, test: none → 0.1",
    ):
        assert expected in words
    assert any(one.startswith("purpose: ") and one.endswith("→ Something else") for one in words)
    assert any("rows →" in one for one in words)


def test_roles_and_a_recipe_that_went() -> None:
    before = files_of()
    declared = yaml.safe_load(before["submission.yaml"])
    roles = declared["data"][0]["roles"]
    protected = roles.get("protected", [])
    declared["data"][0]["roles"] = {**roles, "protected": [], "ignore": [*roles.get("ignore", []), *protected]}
    declared["recipe"] = None
    after = {**before, "submission.yaml": yaml.safe_dump(declared).encode()}
    words = [change.words for change in version_changes(version(before), version(after))]
    assert any(one.startswith("protected: ") and one.endswith("no longer") for one in words)
    assert "no recipe any more, so nothing can be refitted" in words
