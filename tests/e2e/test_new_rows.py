"""Ten rows scored by three models: sent, read, sorted, narrowed, opened to their reasons, saved."""

import csv
import io
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted
from tests.e2e.test_views import serious
from tests.e2e.test_walks import RUN_MS


def ten_rows() -> list[dict[str, str]]:
    """Ten rows as they came later: one of them of a kind that is new."""
    later = list(csv.DictReader(io.StringIO(rows_csv(10, seed=9))))
    later[3]["kind"] = "purple"
    return later


def at_new_rows(open_as: Open, model: str) -> Page:
    """The page for new rows of a case of its own, in review."""
    page = submitted(open_as, model, "1.0", rows_csv(seed=21))
    page.goto(page.url.replace("/plan", "/evidence"))
    page.get_by_role("link", name="New rows, scored").click()
    page.get_by_role("heading", name="Score new rows").wait_for()
    return page


def as_csv(rows: list[dict[str, str]]) -> str:
    held = io.StringIO()
    made = csv.DictWriter(held, list(rows[0]))
    made.writeheader()
    made.writerows(rows)
    return held.getvalue()


def test_ten_rows_by_three_models(open_as: Open, tmp_path: Path) -> None:
    page = at_new_rows(open_as, "Rows to come")
    expect(page.get_by_role("button", name="Score them")).to_be_disabled()
    expect(page.get_by_text("Choose a file or paste rows.")).to_be_visible()
    (tmp_path / "march.csv").write_text(as_csv(ten_rows()))
    page.locator("input[type=file]").set_input_files(tmp_path / "march.csv")
    page.get_by_label("logistic regression").check()
    page.get_by_label("decision tree").check()
    page.get_by_role("button", name="Score them").click()
    found = page.get_by_role("article", name="Scored rows")
    expect(found).to_contain_text("On 10 new rows with an outcome AUC of the submitted recipe is", timeout=RUN_MS)
    expect(found).to_contain_text("too few rows to tell")
    expect(found.get_by_role("list", name="To be known")).to_contain_text("kind (1)")
    expect(found).to_contain_text("Had the file been scaled by its own rows, logistic regression would have decided")
    expect(found.get_by_role("img").first).to_be_visible()

    table = page.get_by_role("table", name="Scored rows")
    expect(table.get_by_role("row")).to_have_count(11)
    table.get_by_role("button", name="recipe.score", exact=True).click()
    expect(page).to_have_url(re.compile("sort=recipe.score"))
    page.get_by_label("Which rows").select_option(label="rows outside what was learned from (1)")
    expect(table.get_by_role("row")).to_have_count(2)
    expect(table).to_contain_text("purple")
    table.get_by_role("button", name="Row 4 in full").click()
    row = page.get_by_role("region", name="Row 4")
    expect(row.get_by_role("heading", name="Row 4")).to_be_focused()
    expect(row.get_by_role("table", name="Reasons of the submitted recipe")).to_contain_text("kind purple")
    expect(row.get_by_role("table", name="Reasons of the decision tree")).to_contain_text("What moved the score from")
    expect(row.get_by_role("region", name="Its own cells")).to_contain_text("purple")
    with page.expect_download() as held:
        page.get_by_role("link", name="Save 10 as XLSX").click()
    assert held.value.suggested_filename == "rows-to-come-1-0-new-rows-1-scored.xlsx"
    for scheme in ("light", "dark"):
        page.emulate_media(color_scheme=scheme)
        assert serious(page) == []
    row.get_by_role("button", name="Close the row").click()
    expect(row).to_have_count(0)

    page.get_by_role("link", name="Write a finding").click()
    form = page.get_by_role("form", name="Finding")
    expect(form.get_by_label("What is wrong")).to_have_value(re.compile("On 10 new rows with an outcome"))
    expect(form.get_by_label("New rows 1, march.csv")).to_be_checked()
    form.get_by_label("Title").fill("A kind came that the model never saw")
    form.get_by_role("button", name="Save and send to the owner").click()
    expect(page.get_by_role("article")).to_contain_text("New rows 1, march.csv: On 10 new rows with an outcome")
    page.get_by_role("link", name="New rows 1, march.csv").click()
    expect(page.get_by_role("article", name="Scored rows")).to_contain_text("On 10 new rows with an outcome")


def test_rows_that_were_pasted_and_can_not_be_scored(open_as: Open) -> None:
    page = at_new_rows(open_as, "Rows pasted")
    page.get_by_label("or rows, with the names of the columns above them").fill("home\tbedrooms\nA1\t3\n")
    page.get_by_role("button", name="Score them").click()
    found = page.get_by_role("article", name="Scored rows")
    expect(found).to_contain_text("A feature that the model needs is not in the file.", timeout=RUN_MS)
    expect(found).to_contain_text("pasted rows.tsv")
    page.get_by_role("link", name="Score another file").click()
    expect(page.get_by_role("heading", name="Score new rows")).to_be_visible()


def test_the_demo_comes_with_new_rows_that_are_scored(open_as: Open) -> None:
    page = open_as("nell")
    page.get_by_role("link", name="Smoke alarm take-up 2.1").first.click()
    page.wait_for_url(re.compile(r"/cases/\d+"))
    page.goto(re.sub(r"(/cases/\d+).*", r"\1/new-rows", page.url))
    found = page.get_by_role("article", name="Scored rows")
    expect(found).to_contain_text("On 40 new rows with an outcome AUC of the submitted recipe is", timeout=RUN_MS)
    expect(found.get_by_role("list", name="To be known")).to_contain_text("tenure (3)")
