"""A reviewer keeps a text of findings for the house, and begins a finding with it."""

from playwright.sync_api import expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted
from tests.e2e.test_views import serious


def test_a_text_of_the_house_begins_a_finding(open_as: Open) -> None:
    page = open_as("iris")
    page.goto("/policies")
    page.get_by_role("link", name="Templates").click()
    page.get_by_role("button", name="Write a text for findings").click()
    form = page.get_by_role("form", name="Text of a finding")
    form.get_by_label("Name of the text").fill("Too few rows of a ward")
    form.get_by_label("Title").fill("{model} was built on too few rows of {ward}")
    form.get_by_label("What is wrong").fill("In {ward")
    assert serious(page) == []
    form.get_by_role("button", name="Keep the text").click()
    expect(form.get_by_role("alert")).to_contain_text("a brace itself is written twice")
    form.get_by_label("What is wrong").fill("In {ward} nobody was visited in {version}.")
    form.get_by_role("button", name="Keep the text").click()
    expect(page.get_by_role("table", name="Texts of findings")).to_contain_text("Too few rows of a ward")
    assert serious(page) == []

    page = submitted(open_as, "Of a text", "1.0", rows_csv(300, seed=23))
    # Kept for the house too, and set beside itself.
    page.get_by_role("button", name="Keep it for the house").click()
    page.get_by_label("What the house calls this plan").fill("Small and quick")
    page.get_by_role("button", name="Keep it", exact=True).click()
    page.get_by_label("Set it beside a plan of the house").select_option(label="Small and quick")
    expect(page.get_by_text("The plan of Small and quick asks for just the same.")).to_be_visible()
    assert serious(page) == []
    page.goto(page.url.replace("/plan", "/findings?write=new"))
    finding = page.get_by_role("form", name="Finding")
    finding.get_by_label("Text of the house to begin with").select_option(label="Too few rows of a ward")
    expect(finding.get_by_label("Title")).to_have_value("Of a text was built on too few rows of {ward}")
    expect(finding.get_by_label("What is wrong")).to_have_value("In {ward} nobody was visited in 1.0.")
    left = finding.get_by_role("status")
    expect(left).to_have_text("Still to be filled in: {ward}.")
    for label in ("Title", "What is wrong"):
        field = finding.get_by_label(label)
        field.fill(field.input_value().replace("{ward}", "Moor End"))
    expect(left).to_have_count(0)
    assert serious(page) == []
    finding.get_by_role("button", name="Keep as a draft").click()
    expect(page.get_by_role("article", name="Finding 1")).to_contain_text("too few rows of Moor End")
