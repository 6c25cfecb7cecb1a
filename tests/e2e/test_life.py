"""From a finding to its retest on the next version, what the record says of it, letters, and who holds what."""

import re
from pathlib import Path

from playwright.sync_api import expect
from sqlalchemy import select

from brookfall.desk.submit import submit
from brookfall.launch.house import House
from brookfall.records.database import transaction
from brookfall.records.people import Person
from tests.api.test_retests import named
from tests.e2e.conftest import Open, planned

RUN_MS = 300_000
NAME = "Lived through"


def test_a_finding_is_retested_on_the_version_that_mends_it(open_as: Open, stores: House) -> None:
    with transaction() as session:
        nell_here = session.scalars(select(Person).where(Person.login == "nell")).one()
        first = submit(session, nell_here, named(NAME, "1.0", ignore=("z",))).id
        second = submit(session, nell_here, named(NAME, "2.0")).id
    page = open_as("iris")
    page.goto(f"/cases/{first}/plan")
    page.get_by_role("button", name="Take this case").click()
    expect(page.get_by_role("button", name="Take this case")).to_have_count(0)
    planned(page, ["holdout", "gap"])
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Gap"))).to_be_enabled(timeout=RUN_MS)
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Holdout"))).to_be_enabled(timeout=RUN_MS)
    page.goto(f"/cases/{first}/findings?write=new")
    form = page.get_by_role("form", name="Finding")
    form.get_by_label("Title").fill("It leaves out what tells most")
    form.get_by_label("What is wrong").fill("The column z is not learned from.")
    for box in form.get_by_role("group", name="Exhibits cited").get_by_role("checkbox").all():
        box.check()
    form.get_by_role("button", name="Save and send to the owner").click()
    article = page.get_by_role("article", name="Finding 1")
    expect(article).to_contain_text("open")

    nell = open_as("nell")
    nell.goto(f"/cases/{first}/findings")
    theirs = nell.get_by_role("article", name="Finding 1")
    theirs.get_by_role("button", name="Answer").click()
    answer = theirs.get_by_role("form")
    answer.get_by_label("It is mended").check()
    answer.get_by_label("In which version").fill("2.0")
    answer.get_by_role("button", name="Send the answer").click()
    expect(theirs).to_contain_text("has mended it in version 2.0")
    expect(theirs.get_by_role("button", name="Retest it")).to_have_count(0)

    page.reload()
    article.get_by_role("button", name="Retest it").click()
    asked = article.get_by_role("form", name="Retest finding 1")
    expect(asked.get_by_label("Version")).to_have_value("2.0")
    asked.get_by_role("button", name="Retest it").click()
    result = article.get_by_role("region", name="Retest on version 2.0")
    expect(result).to_be_visible(timeout=RUN_MS)
    expect(article).to_contain_text("retested")
    expect(result.get_by_role("table", name=re.compile("^Differences of exhibit")).first).to_contain_text("+0.")
    expect(result).to_contain_text("Differences on the same rows.")
    with page.expect_download() as download:
        result.get_by_role("link", name="Evidence of the retest").click()
    assert '"brookfall": 1' in Path(download.value.path()).read_text()

    page.goto(f"/models/{NAME.lower().replace(' ', '-')}")
    expect(page.get_by_role("region", name="What changed")).to_contain_text("ignore: z no longer")
    expect(page.get_by_role("region", name="What changed")).to_contain_text("Nothing of 2.0 was run")

    page.get_by_role("link", name="Record").click()
    page.get_by_label("About", exact=True).select_option("finding")
    page.get_by_label("Of", exact=True).select_option(label=NAME)
    table = page.get_by_role("table", name="Record")
    expect(table.get_by_role("row")).to_have_count(5)
    expect(table).to_contain_text("retested a finding: 1: It leaves out what tells most")
    expect(table).to_contain_text("state: answered → retested")
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    assert "state: answered → retested" in Path(download.value.path()).read_text()
    page.get_by_label("About", exact=True).select_option("approval")
    expect(page.get_by_text("No entry is like that.")).to_be_visible()

    # The next version is not decided on yet, so it begins from the standard plan, or from this review's where asked to.
    # What the page knew before the case was taken is asked anew.
    with page.expect_response(lambda answer: answer.url.endswith(f"/cases/{second}/set-up")):
        page.goto(f"/cases/{second}/plan")
    page.get_by_role("button", name="Take this case").click()
    page.get_by_role("button", name="Begin from 1.0").click()
    page.get_by_role("button", name="Put them in place of what is here").click()
    expect(page.get_by_role("region", name="What this began from")).to_contain_text("as the review of 1.0 left it")


def test_one_chooses_where_letters_go(open_as: Open) -> None:
    page = open_as("ada")
    page.goto("/you")
    letters = page.get_by_role("region", name="Letters")
    expect(letters).to_contain_text("This house sends no mail")
    letters.get_by_label("To").fill("ada@elsewhere.example")
    letters.get_by_label("When").select_option("daily")
    letters.get_by_role("button", name="Save").click()
    expect(letters.get_by_role("status")).to_have_text("Saved.")
    page.reload()
    expect(letters.get_by_label("To")).to_have_value("ada@elsewhere.example")
    letters.get_by_role("link", name="Letters written to you").click()
    expect(page.get_by_text("None was written yet.")).to_be_visible()


def test_who_holds_what_is_told_and_all_of_it_handed_over(open_as: Open, stores: House) -> None:
    with transaction() as session:
        nell = session.scalars(select(Person).where(Person.login == "nell")).one()
        case_id = submit(session, nell, named("Held by one", "1.0")).id
    page = open_as("tom")
    page.goto(f"/cases/{case_id}/brief")
    page.get_by_role("button", name="Take this case").click()
    expect(page.get_by_role("button", name="Take this case")).to_have_count(0)
    page.get_by_role("link", name="Docket").click()
    page.get_by_role("link", name="Who holds what").click()
    row = page.get_by_role("row", name=re.compile("^Tom Aldous"))
    expect(row).to_contain_text("Held by one 1.0")
    row.get_by_role("button", name="Hand over all of Tom Aldous").click()
    form = page.get_by_role("form", name="Hand over all of Tom Aldous")
    expect(form.get_by_role("button", name="Hand them over")).to_be_disabled()
    form.get_by_label("Reviewer").click()
    page.get_by_role("option", name="Iris Marrow").click()
    form.get_by_label("Why they are handed over").fill("Away for a month.")
    form.get_by_role("button", name="Hand them over").click()
    expect(form.get_by_role("status")).to_contain_text("Held by one 1.0")
    expect(page.get_by_role("row", name=re.compile("^Iris Marrow"))).to_contain_text("Held by one 1.0")
