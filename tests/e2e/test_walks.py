"""A reviewer's walk from sign-in to the countersigned report, and an owner's to the docket."""

import re
from pathlib import Path

from playwright.sync_api import Page, Route, expect
from sqlalchemy import select

from brookfall.demo import packages
from brookfall.demo.seed import PASSWORD
from brookfall.desk.submit import submit
from brookfall.launch.house import House
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.people import Person
from tests.conftest import declaration, files_of, rows_csv
from tests.core.test_package import zipped
from tests.e2e.conftest import MANY_FITS, Open, planned

RUN_MS = 300_000


def go(page: Page, step: str) -> None:
    page.get_by_role("navigation", name="Course of the case").get_by_role("link", name=step).click()


def test_from_sign_in_to_the_countersigned_report(open_as: Open) -> None:
    page = open_as("iris")
    page.get_by_role("link", name="Home visit priority 1.0").first.click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Home visit priority 1.0")
    go(page, "Brief")
    expect(page.get_by_text("Decision tree")).to_be_visible()

    go(page, "Data")
    page.locator("[data-column=drive_minutes]").click()
    page.keyboard.press("x")
    expect(page.get_by_label("Role of drive_minutes")).to_have_value("ignore")
    page.keyboard.press("p")
    expect(page.locator("[data-column=drive_minutes] input[type=checkbox]")).to_be_checked()
    page.keyboard.press("u")
    expect(page.locator("[data-column=drive_minutes] input[type=checkbox]")).not_to_be_checked()
    page.keyboard.press("u")
    expect(page.get_by_label("Role of drive_minutes")).to_have_value("feature")

    go(page, "Plan")
    planned(page, without=MANY_FITS)
    folds = page.get_by_label("Folds", exact=True)
    folds.fill("5")
    folds.press("Enter")
    expect(page.get_by_text("39 distinct fits")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("54 distinct fits")).to_be_visible()
    page.get_by_role("button", name="Lock the plan and run").click()

    expect(page).to_have_url(re.compile("/evidence"))
    page.reload()  # the progress is the server's, not the page's
    gap = page.get_by_role("button", name=re.compile(r"^\d+ Gap"))
    expect(gap).to_be_enabled(timeout=RUN_MS)
    gap.click()
    exhibit = page.get_by_role("article")
    expect(exhibit).to_contain_text("It is right on every row it was trained on.")
    expect(exhibit).to_contain_text("outside its limit")
    expect(page.get_by_role("status")).to_have_count(0, timeout=RUN_MS)
    page.keyboard.press("a")
    expect(page.get_by_role("complementary").get_by_role("link", name="14 Gap")).to_be_visible()
    page.keyboard.press("]")
    expect(exhibit).to_contain_text("Exhibit 15, baseline")
    page.keyboard.press("[")
    expect(exhibit).to_contain_text("Exhibit 14, gap")

    page.keyboard.press("f")
    form = page.get_by_role("form", name="Finding")
    expect(form.get_by_label("What is wrong")).to_have_value(re.compile("right on every row"))
    form.get_by_label("Title").fill("The tree has memorised its training rows")
    form.get_by_label("What must be done").fill("Prune the tree and measure on unseen rows.")
    form.get_by_role("button", name="Save and send to the owner").click()
    expect(page.get_by_role("article")).to_contain_text("Exhibit 14, gap")

    go(page, "Decision")
    expect(page.get_by_role("region", name="Has it memorised its training rows?")).to_contain_text("Exhibit 14, gap")
    form = page.get_by_role("form", name="Propose a decision")
    form.get_by_label("Returned for rework").check()
    form.get_by_label("Reasons").fill("It knows its training rows by heart.")
    form.get_by_label("Your password").fill("not-my-password")
    form.get_by_role("button", name="Sign and propose").click()
    expect(form.get_by_role("alert")).to_contain_text("Nothing was signed")
    form.get_by_label("Your password").fill(PASSWORD)
    form.get_by_role("button", name="Sign and propose").click()
    expect(page.get_by_role("region", name="Decision")).to_contain_text("Returned for rework, proposed.")

    other = open_as("tom")
    other.get_by_role("link", name="Home visit priority 1.0").first.click()
    other.get_by_label("Your password").fill(PASSWORD)
    other.get_by_role("button", name="Accept and countersign").click()
    expect(other.get_by_role("region", name="Decision")).to_contain_text("Countersigned by Tom Aldous", timeout=RUN_MS)
    other.get_by_role("link", name="Read the signed report").click()
    report = other.frame_locator("iframe[title=Report]")
    expect(report.get_by_role("heading", name="Home visit priority 1.0")).to_be_visible(timeout=RUN_MS)
    expect(report.get_by_text("The tree has memorised its training rows").first).to_be_visible()
    other.get_by_role("link", name="PDF").wait_for(timeout=RUN_MS)
    with other.expect_download() as download:
        other.get_by_role("link", name="PDF").click()
    assert Path(download.value.path()).read_bytes().startswith(b"%PDF")
    other.get_by_role("link", name="Record").click()
    other.get_by_role("button", name="Verify the chain").click()
    expect(other.get_by_role("status")).to_contain_text("entries hold")


def test_rows_go_after_their_term_by_two_peoples_word(open_as: Open, stores: House) -> None:
    """Of a case that was decided long ago: its decision and its date are put there, as nobody can wait for years."""
    model, declared = "Sample 0.1", {**declaration()["model"], "version": "0.1"}
    with transaction() as session:
        people = {one.login: one for one in session.scalars(select(Person))}
        case = submit(session, people["nell"], files_of(rows_csv(seed=71), model=declared))
        iris, tom = people["iris"].id, people["tom"].id
        then = now().replace(year=now().year - 6, day=1)
        case.state, case.reviewer_id, case.countersigner_id = "decided", iris, tom
        signed = Decision(
            case_id=case.id, kind="not_approved", reasons="It was no better.", conditions=[], state="accepted",
            proposed_by=iris, proposed=then, answered_by=tom, answered=then, comment="",
        )  # fmt: skip
        session.add(signed)
    wren = open_as("wren")
    wren.get_by_role("link", name="Retention").click()
    expect(wren.get_by_role("main")).to_contain_text(f"{model}tier 3, decided")
    wren.get_by_role("button", name="Propose to take the rows away").click()
    form = wren.get_by_role("form", name=f"Take the rows of {model} away")
    form.get_by_label("Why the rows go").fill("The pumps were replaced.")
    form.get_by_label("Your password").fill("not-my-password")
    form.get_by_role("button", name="Propose it").click()
    expect(form.get_by_role("alert")).to_contain_text("Nothing was done")
    form.get_by_label("Your password").fill(PASSWORD)
    form.get_by_role("button", name="Propose it").click()
    expect(wren.get_by_role("main")).to_contain_text("Wren Hale proposed on")

    ada = open_as("ada")
    expect(ada.get_by_role("list", name="Rows taken away")).to_contain_text(f"The rows of {model} are proposed")
    other = open_as("tom")
    other.get_by_role("link", name="Retention").click()
    form = other.get_by_role("form", name=f"The rows of {model}")
    expect(form.get_by_role("button", name="Decline")).to_be_disabled()
    form.get_by_label("Your password").fill(PASSWORD)
    form.get_by_role("button", name="Agree, and take them away").click()
    gone = other.get_by_role("table", name="Rows that were taken away")
    expect(gone).to_contain_text("Wren Hale and Tom Aldous")
    expect(gone).to_contain_text(re.compile(r"kB of \d+ files and columns"), timeout=RUN_MS)
    gone.get_by_role("link", name=model).click()
    expect(other.get_by_text("The rows of this case were taken away on")).to_be_visible()
    go(other, "Data")
    expect(other.get_by_text("400 rows of").first).to_be_visible()
    other.get_by_role("link", name="Record").click()
    other.get_by_role("button", name="Verify the chain").click()
    expect(other.get_by_role("status")).to_contain_text("entries hold")
    ada.reload()
    expect(ada.get_by_role("list", name="Rows taken away")).to_contain_text(f"The rows of {model} were taken away")


def test_an_owner_submits_a_package_and_is_told_what_is_wrong(open_as: Open, tmp_path: Path) -> None:
    page = open_as("nell")
    page.get_by_role("link", name="Submit a model").click()
    broken, sound = tmp_path / "broken.zip", tmp_path / "sound.zip"
    broken.write_bytes(zipped(files_of(csv=rows_csv(50) + "1,2,3\n")))
    model = {"name": "Sent by zip", "version": "1", "tier": 3, "outcome": "binary", "purpose": "To see", "owner": "Us"}
    sound.write_bytes(zipped(files_of(model=model)))
    page.get_by_role("button", name="Send a package").click()
    page.get_by_label("Package:").set_input_files(broken)
    page.get_by_role("button", name="Submit the package").click()
    expect(page.get_by_role("alert")).to_contain_text("data/rows.csv, row 52")
    page.get_by_label("Package:").set_input_files(sound)
    page.get_by_role("button", name="Submit the package").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Sent by zip 1")
    page.get_by_role("link", name="Docket").click()
    expect(page.get_by_role("row", name=re.compile("Sent by zip"))).to_contain_text("waiting")


def test_an_owner_submits_by_form(open_as: Open, tmp_path: Path) -> None:
    page = open_as("nell")
    page.goto("/submit")
    page.get_by_role("button", name="Begin a form").click()
    data = tmp_path / "offers.csv"
    data.write_bytes(packages.smoke_alarm()["data/offers.csv"])
    form = page.get_by_role("form", name="Brief")
    form.get_by_label("Model").fill("Sent by form")
    form.get_by_label("Version").fill("0.1")
    form.get_by_label("Purpose").fill("Who accepts an alarm")
    form.get_by_label("Built by").fill("Community safety")
    form.get_by_label("Data file").set_input_files(data)
    form.get_by_label("Target").click()
    page.get_by_role("option", name="accepted").click()
    form.get_by_label("Identifiers").click()
    page.get_by_role("option", name="offer_id").click()
    page.keyboard.press("Escape")
    form.get_by_label("Family").click()
    page.get_by_role("option", name="logistic regression").click()
    form.get_by_role("button", name="Add a claim").click()
    form.get_by_label("Measure").click()
    page.get_by_role("option", name="AUC", exact=True).click()
    form.get_by_label("Value", exact=True).fill("0.78")
    form.get_by_role("button", name="Submit the model").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Sent by form 0.1")
    expect(page.get_by_text("Logistic regression")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("AUC"))).to_contain_text("0.78")


def unless_read(route: Route) -> None:
    """Lets all through but what only reads, which is never answered."""
    if route.request.method != "GET":
        route.continue_()


def test_two_reviewers_at_one_plan(open_as: Open) -> None:
    first, second = open_as("iris"), open_as("iris")
    first.get_by_role("row", name=re.compile(r"Home visit priority 2.0")).get_by_role("button", name="Take it").click()
    first.get_by_role("row", name=re.compile(r"Home visit priority 2.0")).get_by_text("Iris Marrow").wait_for()
    first.get_by_role("link", name="Home visit priority 2.0").last.click()
    go(first, "Plan")
    second.goto(first.url)
    second.get_by_label("Seed of the plan").wait_for()
    # From here on it hears nothing: while a worker counts a plan its page asks again, and would know of the change.
    second.route(re.compile(r"/api/cases/\d+/plan$"), unless_read)
    first.get_by_label("Seed of the plan").fill("1001")
    with first.expect_response(lambda answer: answer.request.method == "PUT" and answer.url.endswith("/plan")) as saved:
        first.get_by_label("Seed of the plan").press("Enter")
    assert saved.value.status == 200
    second.get_by_label("Seed of the plan").fill("2002")
    second.get_by_label("Seed of the plan").press("Enter")
    expect(second.get_by_role("alert")).to_contain_text("Nothing was overwritten")
    first.reload()
    expect(first.get_by_label("Seed of the plan")).to_have_value("1001")


def test_notes_in_the_margin_are_kept(open_as: Open) -> None:
    page = open_as("tom")
    page.get_by_role("link", name="Home visit priority 2.0").first.click()
    page.keyboard.press("w")
    page.get_by_label("Working notes").fill("Ask which rows they used.")
    page.reload()  # at once, before the pause after which it is sent
    expect(page.get_by_label("Working notes")).to_have_value("Ask which rows they used.")
    expect(page.get_by_text("Saved", exact=True)).to_be_visible()
    page.keyboard.press("Escape")


def test_keys_are_listed_and_can_be_switched_off(open_as: Open) -> None:
    page = open_as("ada")
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("open the case")
    dialog.get_by_label("Single keys act").uncheck()
    page.keyboard.press("Escape")
    expect(dialog).to_be_hidden()
    page.keyboard.press("Enter")
    expect(page.get_by_role("table", name="Cases")).to_be_visible()
    assert page.url.endswith("/")


def test_notes_of_two_windows_are_put_together(open_as: Open) -> None:
    page, other = open_as("iris"), open_as("iris")
    for window in (page, other):
        window.goto("/cases/1/data")
        expect(window.get_by_label("Working notes")).to_be_enabled()
    notes, others = page.get_by_label("Working notes"), other.get_by_label("Working notes")
    before = notes.input_value()
    notes.fill(f"{before} Ask for the script.")
    expect(page.get_by_text("Saved", exact=True)).to_be_visible()
    with page.expect_response(lambda answer: "/margin" in answer.url and answer.request.method == "PUT"):
        notes.fill(f"{before} Ask for the script. And for the split.")
    others.fill("From the other window.")
    expect(other.get_by_text("These notes were changed in another window")).to_be_visible()
    other.get_by_role("button", name="Put both together").click()
    expect(other.get_by_text("Saved", exact=True)).to_be_visible()
    expect(others).to_have_value(re.compile("And for the split.\\s+From the other window."))
    page.reload()
    expect(notes).to_have_value(re.compile("And for the split.\\s+From the other window."))
