"""Ten rows scored by three models: sent by an owner before anybody has taken the case, read, sorted, narrowed, saved."""

import csv
import io
import re
from pathlib import Path

from playwright.sync_api import expect

from brookfall.demo import packages
from tests.e2e.conftest import Open
from tests.e2e.test_views import serious
from tests.e2e.test_walks import RUN_MS


def ten_rows() -> list[dict[str, str]]:
    """Ten households as they came later: other numbers, one of them in a district that is new."""
    rows = list(csv.DictReader(io.StringIO(packages.home_visit_2()["data/households.csv"].decode())))[200:210]
    later = [{**row, "household_id": f"N{place}", "income": "19999"} for place, row in enumerate(rows)]
    later[3]["district"] = "Nether Fell"
    return later


def as_csv(rows: list[dict[str, str]]) -> str:
    held = io.StringIO()
    made = csv.DictWriter(held, list(rows[0]))
    made.writeheader()
    made.writerows(rows)
    return held.getvalue()


def test_ten_rows_by_three_models(open_as: Open, tmp_path: Path) -> None:
    page = open_as("nell")
    page.goto("/")
    page.get_by_role("link", name="Home visit priority 2.0").first.click()
    page.goto(f"{re.sub(r'/brief.*', '', page.url)}/new-rows")
    expect(page.get_by_role("button", name="Score them")).to_be_disabled()
    expect(page.get_by_text("Choose a file or paste rows.")).to_be_visible()
    (tmp_path / "march.csv").write_text(as_csv(ten_rows()))
    page.locator("input[type=file]").set_input_files(tmp_path / "march.csv")
    page.get_by_label("logistic regression").check()
    page.get_by_label("decision tree").check()
    page.get_by_role("button", name="Score them").click()
    found = page.get_by_role("article", name="Scored rows")
    expect(found).to_contain_text("On 10 new rows with an outcome AUC of the submitted recipe is", timeout=RUN_MS)
    expect(found).to_contain_text("so few rows settle nothing")
    expect(found.get_by_role("list", name="To be known")).to_contain_text("district (1)")
    expect(found).to_contain_text("Had the file been scaled by its own rows, logistic regression would have decided")
    expect(found.get_by_role("img").first).to_be_visible()

    table = page.get_by_role("table", name="Scored rows")
    expect(table.get_by_role("row")).to_have_count(11)
    table.get_by_role("button", name="recipe.score", exact=True).click()
    expect(page).to_have_url(re.compile("sort=recipe.score"))
    page.get_by_label("Which rows").select_option(label="rows outside what was learned from (1)")
    expect(table.get_by_role("row")).to_have_count(2)
    expect(table).to_contain_text("Nether Fell")
    table.get_by_role("button", name="Row 4 in full").click()
    row = page.get_by_role("region", name="Row 4")
    expect(row.get_by_role("heading", name="Row 4")).to_be_focused()
    expect(row.get_by_role("table", name="Reasons of the submitted recipe")).to_contain_text("district Nether Fell")
    expect(row.get_by_role("table", name="Reasons of the decision tree")).to_contain_text("What moved the score from")
    expect(row.get_by_role("region", name="Its own cells")).to_contain_text("19999")
    with page.expect_download() as held:
        page.get_by_role("link", name="Save 10 as XLSX").click()
    assert held.value.suggested_filename == "home-visit-priority-2-0-new-rows-1-scored.xlsx"
    for scheme in ("light", "dark"):
        page.emulate_media(color_scheme=scheme)
        assert serious(page) == []
    row.get_by_role("button", name="Close the row").click()
    expect(row).to_have_count(0)


def test_rows_that_were_pasted_and_can_not_be_scored(open_as: Open) -> None:
    page = open_as("nell")
    page.goto("/")
    page.get_by_role("link", name="Smoke alarm take-up").first.click()
    page.goto(f"{re.sub(r'/brief.*', '', page.url)}/new-rows")
    page.get_by_label("or rows, with the names of the columns above them").fill("home\tbedrooms\nA1\t3\n")
    page.get_by_role("button", name="Score them").click()
    found = page.get_by_role("article", name="Scored rows")
    expect(found).to_contain_text("A feature that the model needs is not in the file.", timeout=RUN_MS)
    expect(found).to_contain_text("pasted rows.tsv")
    page.get_by_role("link", name="Score another file").click()
    expect(page.get_by_role("heading", name="Score new rows")).to_be_visible()
