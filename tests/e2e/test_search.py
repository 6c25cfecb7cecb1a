"""From a word to what has it: by its key, from any page."""

from playwright.sync_api import expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted


def test_a_finding_is_found_by_a_part_of_a_word(open_as: Open) -> None:
    page = submitted(open_as, "Sought and found", "4.2", rows_csv(300, seed=79))
    findings = page.url.replace("/plan", "/findings")
    page.goto(f"{findings}?write=new")
    form = page.get_by_role("form", name="Finding")
    form.get_by_label("Title").fill("Quagmire of units")
    form.get_by_label("What is wrong").fill("Metres and feet stand in one column.")
    form.get_by_role("button", name="Keep as a draft").click()
    page.get_by_role("article", name="Finding 1").wait_for()
    page.keyboard.press("Escape")
    page.locator("body").press("/")
    expect(page).to_have_url("/search")
    page.get_by_label("Words").fill("feet quagm")
    page.keyboard.press("Enter")
    found = page.get_by_role("region", name="Findings")
    expect(found.locator("mark").first).to_have_text("Quagm")
    # A draft is the reviewer's alone.
    nell = open_as("nell")
    nell.goto("/search?words=feet+quagm")
    expect(nell.get_by_role("status").filter(has_text="Nothing that you may see")).to_be_visible()
    nell.goto("/search?words=4.2+sought")
    expect(nell.get_by_role("region", name="Cases")).to_contain_text("Sought and found 4.2")
    found.get_by_role("link").first.click()
    expect(page.get_by_role("article", name="Finding 1")).to_be_visible()
