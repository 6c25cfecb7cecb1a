"""An approval after its signature: its condition is answered, judged and seen; the model says how it stands today."""

import re
from datetime import timedelta

from playwright.sync_api import FilePayload, Page, expect

from brookfall.demo.seed import PASSWORD
from brookfall.records.config import today
from tests.conftest import rows_csv
from tests.e2e.conftest import Open, planned, submitted

RUN_MS = 300_000


def approved(open_as: Open, name: str = "After the signature") -> Page:
    """The decision's page of a case that Iris proposed to approve with a condition, and Tom countersigned."""
    page = submitted(open_as, name, "1.0", rows_csv(300, seed=71))
    planned(page, ["profile", "claims", "holdout"])
    ran(page)
    return signed(open_as, page, condition="Collect the rows of a winter.")


def ran(page: Page) -> None:
    """Locks the plan on the page and waits for its exhibits."""
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    page.get_by_role("button", name=re.compile(r"^\d+ Holdout")).wait_for(timeout=RUN_MS)
    expect(page.get_by_role("button", name="Cancel the run")).to_have_count(0, timeout=RUN_MS)


def proposed(page: Page, *, condition: str = "") -> None:
    """Proposes to approve the case on the page."""
    page.goto(page.url.partition("/evidence")[0] + "/decision")
    form = page.get_by_role("form", name="Propose a decision")
    if condition:
        form.get_by_label("Approved with conditions").check()
        form.get_by_label("Condition 1").fill(condition)
        form.get_by_label("To be met by").fill((today() + timedelta(days=9)).isoformat())
        form.get_by_label("By", exact=True).click()
        page.get_by_role("option", name="Nell Farrow").click()
    else:
        form.get_by_label("Approved", exact=True).check()
    expect(form).to_contain_text("By the policy an approval lasts")
    form.get_by_label("Reasons").fill("It does what it is for.")
    despite = form.get_by_label("Why it is approved despite this")
    if despite.count():
        despite.fill("The rows are few, and that is known.")
    form.get_by_label("Your password").fill(PASSWORD)
    form.get_by_role("button", name="Sign and propose").click()
    expect(page.get_by_role("region", name="Decision")).to_contain_text("It awaits a countersignature.")


def signed(open_as: Open, page: Page, *, condition: str = "") -> Page:
    """The decision's page of the case on the page, proposed there to be approved, as Tom countersigned it."""
    proposed(page, condition=condition)
    tom = open_as("tom")
    tom.goto(page.url)
    signing = tom.get_by_role("region", name="Countersign")
    signing.get_by_label("Your password").fill(PASSWORD)
    signing.get_by_role("button", name="Accept and countersign").click()
    expect(tom.get_by_role("region", name="Decision")).to_contain_text("conditional" if condition else "in force")
    return tom


def test_a_condition_is_answered_judged_and_seen_and_the_model_says_so(open_as: Open) -> None:
    tom = approved(open_as)
    decision = tom.url
    nell, iris = open_as("nell"), open_as("iris")
    nell.goto("/")
    expect(nell.get_by_role("heading", level=1)).not_to_contain_text("Nothing waits")
    nell.goto("/inbox")
    nell.get_by_role("link", name=re.compile("Send evidence: 1 condition of After the signature")).click()
    theirs = nell.get_by_role("article", name="Condition 1")
    expect(theirs).to_contain_text("by Nell Farrow: to be met")
    theirs.get_by_role("button", name="Send evidence").click()
    answer = theirs.get_by_role("form")
    expect(answer.get_by_role("button", name="Send the evidence")).to_be_disabled()
    answer.get_by_label("What shows that it is met").fill("All of the winter is there.")
    # What is typed stays in this browser until it is sent.
    nell.reload()
    theirs.get_by_role("button", name="Send evidence").click()
    expect(answer.get_by_label("What shows that it is met")).to_have_value("All of the winter is there.")
    proof: FilePayload = {"name": "winter.csv", "mimeType": "text/csv", "buffer": b"day,visits\n1,4\n"}
    answer.locator("input[type=file]").set_input_files(proof)
    answer.get_by_role("button", name="Send the evidence").click()
    expect(theirs).to_contain_text("sent evidence")
    expect(theirs.get_by_role("link", name="winter.csv", exact=True)).to_be_visible()

    iris.goto("/inbox")
    iris.get_by_role("link", name=re.compile("Judge the evidence: 1 condition of After the signature")).click()
    judged = iris.get_by_role("article", name="Condition 1")
    judged.get_by_role("button", name="It is met").click()
    judged.get_by_label("Why it is met").fill("Read, and counted.")
    # Meanwhile the owner says more: the judgement is of what was read, so it is told, and what was typed stays.
    theirs.get_by_role("button", name="Comment").click()
    theirs.get_by_role("textbox", name="Comment").fill("The first week is short of a day.")
    theirs.get_by_role("button", name="Send the comment").click()
    expect(theirs).to_contain_text("short of a day")
    judged.get_by_role("button", name="Judge it met").click()
    expect(judged.get_by_role("alert")).to_contain_text("changed since you opened it")
    expect(judged).to_contain_text("short of a day")
    judged.get_by_role("button", name="Judge it met").click()
    expect(judged).to_contain_text("judged that it is met")

    tom.goto(decision)
    tom.get_by_role("button", name="I have seen that it is met").click()
    expect(tom.get_by_role("article", name="Condition 1")).to_contain_text("met, and seen by a countersigner")
    expect(tom.get_by_role("region", name="Decision")).to_contain_text("Today in force.")

    nell.goto("/models")
    line = nell.get_by_role("row", name=re.compile("After the signature"))
    expect(line).to_contain_text("in force")
    line.get_by_role("link", name=re.compile("After the signature")).click()
    expect(nell.get_by_text("Version 1.0 is today in force: approved until")).to_be_visible()
    events = nell.get_by_role("list", name="Time line").get_by_role("listitem")
    expect(events.first).to_contain_text("submitted")
    expect(events.last).to_contain_text("condition 1: has seen that it is met, Tom Aldous")

    nell.get_by_text("Review a version again").click()
    again = nell.get_by_role("form", name="Review a version again")
    again.get_by_label("Why it is reviewed again").fill("The rows of another winter are there.")
    again.get_by_role("button", name="Open a re-review").click()
    expect(nell.get_by_role("region", name="Carried over")).to_contain_text("The rows of another winter are there.")
    expect(nell.get_by_text("review 2 · tier")).to_be_visible()
    nell.get_by_role("link", name="the review before").click()
    expect(nell).to_have_url(re.compile(re.escape(decision.rpartition("/")[0])))
    iris.goto("/")
    expect(iris.get_by_role("row", name=re.compile("After the signature 1.0, review 2"))).to_contain_text("Take it")
    nell.goto("/models/after-the-signature")
    expect(nell.get_by_role("row", name=re.compile("review 2"))).to_contain_text("under review again")

    nell.get_by_role("textbox", name="Why it is withdrawn").fill("The service ends with the year.")
    nell.get_by_role("button", name="Withdraw the model").click()
    expect(nell.get_by_text(re.compile("Today withdrawn: its owner withdrew it on"))).to_be_visible()
    nell.get_by_role("button", name="Take the model up again").click()
    expect(nell.get_by_text("Version 1.0 is today in force: approved until")).to_be_visible()
