"""The Data screen by keyboard and mouse: many columns at once, an issue acted on, rows, pairs, a column's page."""

import re

from playwright.sync_api import Page, expect

from tests.api.test_data import faulty
from tests.e2e.conftest import Open, sent_and_taken


def submitted(open_as: Open, version: str) -> Page:
    """A case with faulty data, taken by Iris, at its Data step."""
    import yaml

    files = faulty()
    declared = yaml.safe_load(files["submission.yaml"])
    declared["model"].update(name="Faulty rows", version=version)
    files["submission.yaml"] = yaml.safe_dump(declared).encode()
    page = sent_and_taken(open_as, files)
    page.goto(page.url.replace("/brief", "/data"))
    page.get_by_role("button", name="Undo").wait_for()
    return page


def test_an_issue_is_looked_into_and_acted_on(open_as: Open) -> None:
    page = submitted(open_as, "issues")
    wrong = page.get_by_role("region", name="What is wrong with the data")
    expect(wrong).to_contain_text("closed_by alone all but decides y: AUC 1.000")
    page.get_by_role("button", name="See 4 rows").click()
    expect(page.get_by_text("4 of 300 rows: size says '-'")).to_be_visible()
    expect(page.get_by_role("region", name="Rows").get_by_role("row")).to_have_count(5)
    page.go_back()
    page.get_by_role("button", name="Count '-' as missing").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("All 300 rows stay.")
    expect(dialog).to_contain_text("- → gap")
    dialog.get_by_role("button", name="Do it").click()
    expect(page.get_by_role("list", name="Changes to the table")).to_contain_text("'-' in size count as missing.")
    expect(page.locator("[data-column=size]")).to_contain_text("number, 11 to 89, 1.3 % missing")
    expect(wrong).not_to_contain_text("size would be a number")
    page.keyboard.press("u")
    expect(page.locator("[data-column=size]")).to_contain_text("category")
    page.get_by_role("button", name="Ignore closed_by").click()
    expect(page.get_by_label("Role of closed_by")).to_have_value("ignore")
    expect(wrong).not_to_contain_text("closed_by")


def test_many_columns_are_sent_at_once_by_keyboard(open_as: Open) -> None:
    page = submitted(open_as, "keyboard")
    page.locator("[data-column=size]").click(position={"x": 400, "y": 20})
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("x")
    expect(page.get_by_label("Role of size")).to_have_value("ignore")
    expect(page.get_by_label("Role of depth")).to_have_value("ignore")
    page.keyboard.press("u")
    expect(page.get_by_label("Role of size")).to_have_value("feature")
    expect(page.get_by_label("Role of depth")).to_have_value("feature")
    # What is wrong changes with the roles, and moves the columns below it.
    expect(page.get_by_role("region", name="What is wrong with the data")).to_have_attribute("aria-busy", "false")
    page.locator("[data-column=gender]").hover()
    page.mouse.down()
    # A browser that is busy takes the first move over the target for the beginning of the drag.
    for _ in range(2):
        page.get_by_role("region", name="What is protected").hover()
    page.mouse.up()
    expect(page.locator("[data-column=gender]").get_by_role("checkbox", name="protected")).to_be_checked()
    ground = page.get_by_label("Ground of gender")
    expect(ground).to_have_value("sex")
    ground.select_option("religion")
    expect(ground).to_have_value("religion")
    page.get_by_role("link", name="gender", exact=True).click()
    form = page.get_by_label("f is spoken of as")
    form.fill("women")
    # The roles that were set before may still be on their way: what is waited for is the answer to these words.
    with page.expect_response(
        lambda answer: answer.url.endswith("/roles") and "women" in (answer.request.post_data or "")
    ):
        form.press("Enter")
    expect(page.get_by_label("f is spoken of as")).to_have_value("women")
    page.reload()
    expect(page.get_by_label("f is spoken of as")).to_have_value("women")
    page.go_back()
    page.get_by_label("Positive value").select_option("no")
    expect(page.get_by_label("Positive value")).to_have_value("no")
    observed = page.get_by_label(re.compile("came to be observed"))
    observed.fill("Only where a visit was made.")
    with page.expect_response(lambda answer: answer.request.method == "PUT" and answer.url.endswith("/plan")):
        observed.press("Enter")
    page.reload()
    expect(page.get_by_label(re.compile("came to be observed"))).to_have_value("Only where a visit was made.")


def test_rows_pairs_and_a_columns_page(open_as: Open) -> None:
    page = submitted(open_as, "looking")
    page.get_by_role("link", name="Rows", exact=True).click()
    rows = page.get_by_role("region", name="Rows")
    expect(rows).to_contain_text("i0")
    rows.evaluate("box => box.scrollTo({top: box.scrollHeight})")
    expect(rows).to_contain_text("i299")
    page.get_by_role("button", name="depth").click()
    page.get_by_role("button", name="depth ↑").click()
    expect(page.get_by_text("300 rows, by depth, falling.")).to_be_visible()
    expect(rows.get_by_role("row").nth(1)).to_contain_text("999")
    page.get_by_role("link", name="All pairs").click()
    expect(page.get_by_text("closed_by and y go together most closely, V 1.00.")).to_be_visible()
    page.get_by_role("link", name="closed_by and y").click()
    expect(page.get_by_label("Group by")).to_have_value("y")
    expect(page.get_by_role("figure")).to_have_count(3)
    page.get_by_role("img", name=re.compile("closed_by, all rows")).locator("rect").first.click()
    expect(page.get_by_text(re.compile("closed_by says 'done'"))).to_be_visible()


def test_a_form_shows_how_a_file_is_read_and_is_kept_half_done(open_as: Open) -> None:
    page = open_as("nell")
    page.goto("/submit")
    page.get_by_role("button", name="Begin a form").click()
    form = page.get_by_role("form", name="Brief")
    form.get_by_label("Model").fill("Turnout by form")
    form.get_by_label("Version").fill("0.1")
    # Left at once: what was typed last is kept too, and is there on another machine.
    page.get_by_role("link", name="All that is half done").click()
    elsewhere = open_as("nell")
    elsewhere.goto("/submit")
    elsewhere.get_by_role("link", name="Turnout by form 0.1").first.click()
    expect(elsewhere.get_by_role("form", name="Brief").get_by_label("Version")).to_have_value("0.1")
    page.get_by_role("link", name="Turnout by form 0.1").first.click()
    expect(form.get_by_label("Model")).to_have_value("Turnout by form")
    form.get_by_label("Purpose").fill("How long it takes")
    form.get_by_label("Built by").fill("Operations")
    form.get_by_label("Outcome").click()
    page.get_by_role("option", name="a number").click()
    lines = "\r\n".join(f"{i};{i % 7},5;{'-' if i == 3 else i % 5};{100 + 3 * (i % 7) + i % 4}" for i in range(80))
    data = f"id;größe;crew;seconds\r\n{lines}\r\n".encode("cp1252")
    form.get_by_label("Data file:").set_input_files({"name": "turnout.csv", "mimeType": "text/csv", "buffer": data})
    expect(form.get_by_label("Separator")).to_have_value(";")
    expect(form.get_by_label("Decimal mark")).to_have_value(",")
    expect(form.get_by_label("Encoding")).to_have_value("cp1252")
    expect(form.get_by_label("Kind of größe")).to_have_value("number")
    expect(form.get_by_label("Kind of crew")).to_have_value("category")
    form.get_by_label("What counts as missing").fill("-")
    form.get_by_label("What counts as missing").blur()
    expect(form.get_by_label("Kind of crew")).to_have_value("number")
    form.get_by_label("Target").click()
    page.get_by_role("option", name="seconds").click()
    form.get_by_label("Family").click()
    page.get_by_role("option", name="ridge regression").click()
    form.get_by_role("button", name="Submit the model").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Turnout by form 0.1")
    page.goto(page.url.replace("/brief", "/data"))
    expect(page.get_by_text("data/turnout.csv, separated by semicolons, decimal comma, Windows-1252")).to_be_visible()
    expect(page.locator("[data-column=crew]")).to_contain_text("number, 0 to 4, 1.2 % missing")


def test_a_token_is_shown_once_and_revoked(open_as: Open) -> None:
    page = open_as("tom")
    page.get_by_role("link", name="Tom Aldous").click()
    expect(page.get_by_text("You have no token yet")).to_be_visible()
    page.get_by_label("What the token is for").fill("nightly")
    page.get_by_role("button", name="Make a token").click()
    expect(page.get_by_label("The new token")).to_have_text(re.compile(r"^[\w-]{40,}$"))
    made = page.get_by_role("row", name=re.compile("nightly"))
    expect(made).to_contain_text("submit")
    expect(made).not_to_contain_text("read")
    page.reload()
    expect(page.get_by_label("The new token")).to_have_count(0)
    page.get_by_role("button", name="Revoke nightly").click()
    expect(page.get_by_role("row", name=re.compile("nightly"))).to_contain_text("revoked")
