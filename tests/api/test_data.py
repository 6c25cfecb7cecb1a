"""The Data step through the API: looking, the rows behind an issue, changes shown before they are made, a new version."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.retest.differences import differences
from brookfall.core.retest.evidence_file import Evidence
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from tests.api.conftest import Visitor
from tests.api.packages import rendered, submit
from tests.api.test_case import finished, plan_of, taken
from tests.api.test_drafts import begun, put
from tests.conftest import declaration, files_of, rows_csv

SignIn = Callable[[str], Visitor]


def faulty(n: int = 300, seed: int = 2) -> dict[str, bytes]:
    """Rows with a leak, repeats, a word among numbers, a number that stands for a gap, an unmarked ground."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n).round(2)
    y = np.where(rng.random(n) < 1 / (1 + np.exp(-x)), "yes", "no")
    size = [str(value) for value in rng.integers(10, 90, n)]
    size[5:9] = ["-"] * 4
    depth = [str(value) for value in rng.integers(1, 40, n)]
    depth[20:25] = ["999"] * 5
    age = rng.integers(18, 90, n)
    closed = np.where(y == "yes", "done", "open")
    gender = rng.choice(["f", "m"], n)
    lines = [f"i{i},{x[i]},{size[i]},{depth[i]},{age[i]},{closed[i]},{gender[i]},{y[i]}" for i in range(n)]
    lines[40] = f"i40{lines[30][3:]}"
    csv = "\n".join(["id,x,size,depth,age,closed_by,gender,y", *lines])
    roles = {"target": "y", "positive": "yes", "identifier": ["id"], "protected": ["age"]}
    data = [{"name": "rows", "path": "data/rows.csv", "roles": roles}]
    return files_of(csv, data=data, claims=[], recipe={"family": "logistic", "preprocess": {"missing": "median"}})


def issues(iris: Visitor, base: str) -> dict[str, dict[str, Any]]:
    view = iris.get(f"{base}/look")
    assert view["ready"] is True
    assert view["fault"] is None
    return {issue["about"]: issue for issue in view["look"]["issues"]}


def rows(iris: Visitor, base: str, **asked: object) -> dict[str, Any]:
    response = iris.ask("POST", f"{base}/rows", asked)
    assert response.status_code == 200, response.text
    return response.json


def change(iris: Visitor, base: str, *changes: object) -> dict[str, Any]:
    view = iris.get(f"{base}/data")
    response = iris.ask("PUT", f"{base}/changes", {"revision": view["revision"], "changes": list(changes)})
    assert response.status_code == 200, response.text
    return response.json


def test_what_is_wrong_is_said_gravest_first_with_its_rows(visitor: SignIn) -> None:
    iris, base = taken(visitor, "look", faulty())
    found = issues(iris, base)
    assert next(iter(found)) == "leak"
    assert set(found) == {"leak", "odd_words", "sentinel", "repeated", "unmarked", "unbanded"}
    assert found["leak"]["columns"] == ["closed_by"]
    assert "4 rows that say '-'" in found["odd_words"]["sentence"]
    assert found["unmarked"]["columns"] == ["gender"]
    behind = rows(iris, base, where=found["odd_words"]["rows"])
    assert (behind["total"], behind["of"], behind["places"]) == (4, 300, [6, 7, 8, 9])
    assert {row[behind["columns"].index("size")] for row in behind["rows"]} == {"-"}
    alike = rows(iris, base, where=found["repeated"]["rows"])
    assert alike["places"] == [31, 41]
    look = iris.get(f"{base}/look")["look"]
    assert look["not_collected"] == ["disability", "ethnic group", "pregnancy", "religion"]
    ties = {column["name"]: column for column in look["columns"]}
    assert ties["x"]["target"]["measure"] == "r"
    assert ties["x"]["target"]["low"] < ties["x"]["target"]["value"] < ties["x"]["target"]["high"]
    assert ties["y"]["target"] is None
    assert ties["x"]["nearest"]["to"] == "age"


def test_a_column_is_tied_to_a_ground_whatever_it_is_called(visitor: SignIn) -> None:
    csv = rows_csv().replace("kind,sex,age", "kind,q17,age", 1)
    data = declaration()["data"][0]
    roles = {**data["roles"], "protected": ["age"], "ignore": ["q17"]}
    iris, base = taken(visitor, "ties", files_of(csv, data=[{**data, "roles": roles}], claims=[]))
    view = iris.get(f"{base}/data")
    assert {one["name"]: one["ground"] for one in view["columns"]}["q17"] is None
    assert "sex" in view["grounds"]
    action, _ = issues(iris, base)["unmarked"]["actions"]
    assert (action["column"], action["protect"], action["ground"]) == ("q17", True, "sex")
    wanted = {**view["roles"], "protected": ["age", "q17"], "ignore": [], "grounds": {"q17": "sex"}}
    saved = iris.ask("PUT", f"{base}/roles", {"roles": wanted, "revision": view["revision"]})
    assert saved.status_code == 200, saved.text
    assert saved.json["roles"]["grounds"] == {"q17": "sex"}
    assert "unmarked" not in issues(iris, base)
    assert "sex" not in iris.get(f"{base}/look")["look"]["not_collected"]
    assert "sex" not in iris.get(f"{base}/plan")["missing_grounds"]


def test_people_are_spoken_of_as_the_data_screen_says(visitor: SignIn) -> None:
    iris, base = taken(visitor, "spoken", files_of())
    view, looked = iris.get(f"{base}/data"), iris.get(f"{base}/look")
    assert iris.get(f"{base}/column?name=x")["levels"] == []
    levels = iris.get(f"{base}/column?name=sex")["levels"]
    assert sorted(levels) == ["f", "m"]
    wanted = {**view["roles"], "spoken": {"sex": {"f": "women", "m": "men"}}}
    saved = iris.ask("PUT", f"{base}/roles", {"roles": wanted, "revision": view["revision"]})
    assert saved.json["roles"]["spoken"] == wanted["spoken"]
    # Nothing in the data is looked at anew for it.
    assert iris.get(f"{base}/look") == looked
    nowhere = {**wanted, "spoken": {"gone": {"f": "women"}}}
    refused = iris.ask("PUT", f"{base}/roles", {"roles": nowhere, "revision": saved.json["revision"]})
    assert refused.status_code == 422
    assert "gone" in refused.json["where"]


def test_gaps_are_left_out_or_filled_in_as_the_recipe_does(visitor: SignIn) -> None:
    iris, base = taken(visitor, "gaps", faulty())
    words = {"kind": "words_are_missing", "column": "depth", "words": ["999"]}
    fill = {"kind": "fill_gaps", "column": "depth", "by": "median"}
    shown = iris.ask("POST", f"{base}/changes/effect", {"changes": [words, fill]}).json
    assert (shown["rows_before"], shown["rows_after"]) == (300, 300)
    assert "unseen ones too" in shown["said"][1]
    refused = iris.ask("POST", f"{base}/changes/effect", {"changes": [{**fill, "column": "gender"}]})
    assert refused.status_code == 422
    view = iris.get(f"{base}/data")
    drop = {"kind": "drop_gaps", "columns": ["depth"]}
    for changes, left in (([words], 300), ([words, drop], 295)):
        saved = iris.ask("PUT", f"{base}/changes", {"changes": changes, "revision": view["revision"]})
        assert saved.status_code == 200, saved.text
        view = saved.json
        assert view["n_rows"] == left
        page = iris.get(f"{base}/column?name=depth")
        assert (page["fill_by"], page["groups"][0]["missing"]) == ("median", 5 if left == 300 else 0)
    assert iris.get(f"{base}/column?name=gender")["fill_by"] == "mode"


def test_rows_are_sorted_filtered_and_windowed_on_the_server(visitor: SignIn) -> None:
    iris, base = taken(visitor, "rows", faulty())
    first = rows(iris, base, limit=3)
    assert (first["total"], first["places"]) == (300, [1, 2, 3])
    assert first["rows"][0][0] == "i0"
    falling = rows(iris, base, sort="x", falling=True, limit=200)
    column = [float(row[1]) for row in falling["rows"]]
    assert column == sorted(column, reverse=True)
    rest = rows(iris, base, sort="x", falling=True, offset=200, limit=200)
    assert len(set(falling["places"]) | set(rest["places"])) == 300
    wide = rows(iris, base, where={"kind": "between", "column": "x", "low": 1})
    assert 0 < wide["total"] < 100
    for asked in ({"sort": "nothing"}, {"where": {"kind": "between", "column": "gender"}}, {"limit": 5000}):
        assert iris.ask("POST", f"{base}/rows", asked).status_code == 422


def test_a_column_has_a_page(visitor: SignIn) -> None:
    iris, base = taken(visitor, "column", faulty())
    page = iris.get(f"{base}/column?name=x&by=gender")
    assert page["splits"] == ["y", "age"]
    assert [group["label"] for group in page["groups"]] == ["all rows", "gender f", "gender m"]
    everybody, *groups = page["groups"]
    assert sum(everybody["counts"]) == 300
    assert [sum(pair) for pair in zip(*(group["counts"] for group in groups), strict=True)] == everybody["counts"]
    assert iris.ask("GET", f"{base}/column?name=nothing").status_code == 404
    matrix = iris.get(f"{base}/matrix")
    assert matrix["names"] == ["x", "size", "depth", "age", "closed_by", "gender", "y"]
    assert matrix["strengths"][4][6] > 0.97


def test_a_change_is_shown_first_and_then_makes_a_new_version(visitor: SignIn) -> None:
    iris, base = taken(visitor, "changes", faulty())
    found = issues(iris, base)
    before = iris.get(f"{base}/data")
    words = found["odd_words"]["actions"][0]["change"]
    shown = iris.ask("POST", f"{base}/changes/effect", {"changes": [words]})
    assert shown.json["columns"] == [
        {
            "name": "size",
            "before": before["columns"][2]["words"],
            "after": shown.json["columns"][0]["after"],
            "examples": [["-", None]],
        }
    ]
    assert shown.json["columns"][0]["after"].startswith("number, 11 to 89")
    assert iris.get(f"{base}/data") == before
    after = change(iris, base, words, found["repeated"]["actions"][0]["change"])
    assert (after["n_rows"], after["submitted_rows"]) == (299, 300)
    assert after["fingerprint"] != before["fingerprint"]
    assert after["columns"][2]["kind"] == "number"
    assert after["changes_said"] == [
        "'-' in size count as missing",
        "rows that repeat an earlier one in 7 columns are left out",
    ]
    assert "odd_words" not in issues(iris, base)
    assert "repeated" not in issues(iris, base)
    assert change(iris, base)["fingerprint"] == before["fingerprint"]
    assert "odd_words" in issues(iris, base)
    record = iris.get(f"/api/record?case_id={base.rsplit('/', 1)[1]}")
    assert [entry["act"] for entry in record["entries"]].count("changed the table") == 2


def test_bands_take_the_place_of_the_number_they_are_made_of(visitor: SignIn) -> None:
    iris, base = taken(visitor, "bands", faulty())
    bands = issues(iris, base)["unbanded"]["actions"][0]["change"]
    assert bands == {"kind": "bands", "column": "age", "cuts": [40.0, 65.0], "name": "age_band"}
    view = change(iris, base, bands)
    assert view["roles"]["protected"] == ["age_band"]
    assert view["roles"]["ignore"] == ["age"]
    assert view["problem"] is None
    assert change(iris, base)["roles"]["protected"] == []


@pytest.mark.parametrize(
    ("made", "words"),
    [
        ({"kind": "bands", "column": "gender", "cuts": [1], "name": "b"}, "Only a number has bands"),
        ({"kind": "words_are_missing", "column": "x", "words": ["none"]}, "No cell says"),
        ({"kind": "read_as", "column": "nothing", "to": "number"}, "There is no column"),
        ({"kind": "bands", "column": "age", "cuts": [1], "name": "x"}, "There is a column of that name"),
    ],
)
def test_a_change_that_cannot_be_made_changes_nothing(visitor: SignIn, made: dict[str, object], words: str) -> None:
    iris, base = taken(visitor, f"no change {words}", faulty(60))
    before = iris.get(f"{base}/data")
    response = iris.ask("PUT", f"{base}/changes", {"revision": before["revision"], "changes": [made]})
    assert response.status_code == 422
    assert words in response.json["detail"]
    assert iris.get(f"{base}/data") == before
    stale = iris.ask("PUT", f"{base}/changes", {"revision": 99, "changes": []})
    assert stale.status_code == 409
    assert visitor("nell").ask("PUT", f"{base}/changes", {"revision": 1, "changes": []}).status_code == 403


def test_what_was_changed_is_in_the_evidence_and_replays(visitor: SignIn, workers: object) -> None:
    files = faulty()
    iris, base = taken(visitor, "replay changes", files)
    found = issues(iris, base)
    change(iris, base, found["odd_words"]["actions"][0]["change"], found["repeated"]["actions"][0]["change"])
    plan = plan_of(iris, base, checks=["profile", "leaks", "holdout"], target_observed="Only where somebody looked.")
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert finished(iris, base)["state"] == "done"
    locked = iris.ask("PUT", f"{base}/changes", {"revision": iris.get(f"{base}/data")["revision"], "changes": []})
    assert locked.status_code == 422
    evidence = Evidence.model_validate(iris.get(f"{base}/report/json"))
    assert [one.kind for one in evidence.changes] == ["words_are_missing", "drop_repeats"]
    subject = subject_of(
        package_from_files(files | {"submission.yaml": files["submission.yaml"]}), evidence.roles, evidence.changes
    )
    assert differences(evidence.exhibits, retest(Bench(subject, evidence.plan))) == []
    report = rendered(iris, base).text
    assert "rows that repeat an earlier one in 7 columns are left out" in report.lower()
    assert "Only where somebody looked." in report


def test_a_large_table_is_looked_at_by_a_worker(
    visitor: SignIn, workers: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    import time

    iris, base = taken(visitor, "large", faulty())
    monkeypatch.setattr("brookfall.desk.screening.AT_ONCE", 10)
    assert iris.get(f"{base}/look") == {"ready": False, "fault": None, "look": None}
    deadline = time.monotonic() + 60
    while not iris.get(f"{base}/look")["ready"]:
        assert time.monotonic() < deadline, "no worker looked"
        time.sleep(0.2)
    assert issues(iris, base)["leak"]["columns"] == ["closed_by"]


def test_roles_that_do_not_fit_are_told_instead_of_a_look(visitor: SignIn) -> None:
    iris, base = taken(visitor, "no look", faulty())
    view = iris.get(f"{base}/data")
    roles = {**view["roles"], "target": "gender", "positive": "yes"}
    assert iris.ask("PUT", f"{base}/roles", {"revision": view["revision"], "roles": roles}).status_code == 200
    look = iris.get(f"{base}/look")
    assert look["look"] is None
    assert "gender" in str(look["fault"])


def previewed(visitor: Visitor, data: bytes, name: str, how: object = None) -> Any:
    """The preview of a draft's file."""
    draft = begun(visitor)
    status, said = put(visitor, draft, name, data)
    assert status == 200, said
    asked = {"path": name} | ({"how": how} if how else {})
    answer = visitor.ask("POST", f"/api/drafts/{draft}/preview", asked)
    visitor.ask("DELETE", f"/api/drafts/{draft}")
    return answer


def test_a_file_is_previewed_before_it_is_submitted(visitor: SignIn) -> None:
    nell = visitor("nell")
    data = "zone;größe\n1;1,5\n2;-\n".encode("cp1252")
    found = previewed(nell, data, "a.csv").json
    assert found["words"] == "separated by semicolons, decimal comma, Windows-1252, names in the first row"
    assert [(column["name"], column["kind"]) for column in found["columns"]] == [
        ("zone", "number"),
        ("größe", "category"),
    ]
    corrected = previewed(nell, data, "a.csv", {"missing": ["-"], "types": {"zone": "category"}}).json
    assert [column["kind"] for column in corrected["columns"]] == ["category", "number"]
    assert corrected["columns"][1]["examples"] == ["1.5"]
    assert (corrected["rows"], corrected["whole"]) == (2, True)


@pytest.mark.parametrize(
    ("name", "data", "how", "words"),
    [
        ("a.csv", b"a,b\n1\n", {}, "The row has 1 cells"),
        ("a.exe", b"MZ", {}, "can't be read as data"),
        ("a.csv", b"a\n1\n", {"decimal": "x"}, "decimal"),
        ("a.csv", b"", {}, "empty"),
    ],
)
def test_a_preview_says_what_is_wrong(visitor: SignIn, name: str, data: bytes, how: object, words: str) -> None:
    response = previewed(visitor("nell"), data, name, how)
    assert response.status_code == 422
    assert words in response.text


def test_the_words_of_a_brief(visitor: SignIn) -> None:
    known = visitor("nell").get("/api/vocabulary")
    families = {one["name"]: one["outcomes"] for one in known["families"]}
    assert families["ridge"] == ["number"]
    assert families["logistic"] == ["binary", "multiclass"]
    assert "r2" in {one["name"] for one in known["measures"]}


def test_a_new_version_says_what_changed(visitor: SignIn) -> None:
    model = {"name": "Changing", "version": "1", "tier": 3, "outcome": "binary", "purpose": "To see", "owner": "Us"}
    first = submit(visitor("nell"), files_of(model=model, recipe={"family": "logistic"}))
    second = submit(visitor("nell"), files_of(model={**model, "version": "2"}, recipe={"family": "tree"}))
    assert visitor("ada").get(f"/api/cases/{first.json['case_id']}")["since"] is None
    since = visitor("ada").get(f"/api/cases/{second.json['case_id']}")["since"]
    assert since["version"] == "1"
    assert {"about": "recipe", "words": "family: logistic → tree"} in since["changes"]


def test_a_target_left_open_is_chosen_by_the_reviewer(visitor: SignIn) -> None:
    data = [{"name": "rows", "path": "data/rows.csv", "roles": {"identifier": ["id"], "protected": ["sex", "age"]}}]
    iris, base = taken(visitor, "open target", files_of(data=data))
    view = iris.get(f"{base}/data")
    assert "No target is chosen yet. Give a column that role" in str(view["problem"])
    assert "No target is chosen yet" in str(iris.get(f"{base}/look")["fault"])
    assert "No target is chosen yet" in str(iris.get(f"{base}/plan")["problem"])
    assert iris.ask("POST", f"{base}/run").status_code == 422
    roles = {**view["roles"], "target": "y", "positive": "yes"}
    chosen = iris.ask("PUT", f"{base}/roles", {"revision": view["revision"], "roles": roles}).json
    assert chosen["problem"] is None
    assert iris.get(f"{base}/look")["look"] is not None
    assert iris.get(f"{base}/plan")["problem"] is None


def test_scores_need_a_target_that_they_are_scores_of(visitor: SignIn) -> None:
    data = [{"name": "rows", "path": "data/rows.csv", "roles": {"identifier": ["id"]}}]
    answer = submit(visitor("nell"), files_of(data=data, predictions=[{"path": "data/rows.csv", "score": "x"}]))
    assert answer.status_code == 422
    assert "no column is named as the target" in answer.json["detail"]
