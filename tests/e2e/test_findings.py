"""A finding between two people: written, answered with a file, opened again, mended, closed."""

from playwright.sync_api import FilePayload, expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted


def test_a_finding_goes_between_reviewer_and_owner(open_as: Open) -> None:
    page = submitted(open_as, "Between two people", "1.0", rows_csv(300, seed=61))
    findings = page.url.replace("/plan", "/findings")
    page.goto(f"{findings}?write=new")
    form = page.get_by_role("form", name="Finding")
    form.get_by_label("Title").fill("Rows of one station alone")
    form.get_by_label("What is wrong").fill("Nothing says how it does elsewhere.")
    form.get_by_label("What must be done").fill("Send rows of others.")
    form.get_by_label("By whom").select_option("Nell Farrow")
    form.get_by_role("button", name="Keep as a draft").click()
    article = page.get_by_role("article", name="Finding 1")
    expect(article).to_contain_text("draft")

    nell = open_as("nell")
    nell.goto(findings)
    expect(nell.get_by_text("Findings stand here")).to_be_visible()
    article.get_by_role("button", name="Send to the owner").click()
    expect(article).to_contain_text("open")
    expect(page.get_by_role("navigation", name="Course")).to_contain_text("1 open")

    nell.goto("/inbox")
    waiting = nell.get_by_role("table", name="What waits for you")
    waiting.get_by_role("link", name="Answer: 1 finding of Between two people 1.0").click()
    theirs = nell.get_by_role("article", name="Finding 1")
    theirs.get_by_role("button", name="Answer").click()
    answer = theirs.get_by_role("form")
    expect(answer.get_by_role("button", name="Send the answer")).to_be_disabled()
    answer.get_by_label("It is mended").check()
    answer.get_by_label("In which version").fill("1.1")
    answer.get_by_label("What you say to it").fill("Rows of three more stations were added.")
    proof: FilePayload = {"name": "stations.txt", "mimeType": "text/plain", "buffer": b"Four stations."}
    answer.locator("input[type=file]").set_input_files(proof)
    expect(answer).to_contain_text("stations.txt, 14 bytes")
    answer.get_by_role("button", name="Send the answer").click()
    expect(theirs).to_contain_text("has mended it in version 1.1")
    expect(theirs.get_by_role("link", name="stations.txt", exact=True)).to_be_visible()

    page.goto("/inbox")
    page.get_by_role("link", name="Judge the answer: 1 finding of Between two people 1.0").click()
    article.get_by_role("link", name="stations.txt", exact=True).wait_for()
    article.get_by_role("button", name="Close it").click()
    article.get_by_label("Why it is closed").fill("Shown in version 1.1.")
    article.get_by_role("button", name="Close the finding").click()
    expect(article).to_contain_text("closed")
    expect(page.get_by_role("navigation", name="Course")).not_to_contain_text("open")
    with page.expect_download() as download:
        article.get_by_role("link", name="Save stations.txt").click()
    assert download.value.suggested_filename == "stations.txt"

    # What another did meanwhile is told, and what was typed stays.
    nell.reload()
    theirs.get_by_role("button", name="Comment").click()
    theirs.get_by_role("textbox", name="Comment").fill("Thank you for reading it.")
    article.get_by_role("button", name="Open it again").click()
    article.get_by_label("Why it is open again").fill("One station is still missing.")
    article.get_by_role("button", name="Open the finding again").click()
    expect(article).to_contain_text("opened it again")
    theirs.get_by_role("button", name="Send the comment").click()
    expect(theirs.get_by_role("alert")).to_contain_text("changed since you opened it")
    expect(theirs.get_by_role("textbox", name="Comment")).to_have_value("Thank you for reading it.")
    theirs.get_by_role("checkbox", name="Iris Marrow").check()
    theirs.get_by_role("button", name="Send the comment").click()
    expect(theirs).to_contain_text("Nell Farrow said, to Iris Marrow")

    # Who is addressed has it in the inbox until they have read it.
    page.goto("/inbox")
    page.get_by_role("link", name="Read the comment: 1 finding of Between two people 1.0").click()
    expect(article).to_contain_text("To be done by Nell Farrow: Send rows of others.")
    article.get_by_role("button", name="I have read it").click()
    expect(article).to_contain_text("Read by Iris Marrow on")
    page.goto("/inbox")
    expect(page.get_by_role("heading", name="Inbox")).to_be_visible()
    expect(page.get_by_role("link", name="Read the comment: 1 finding of Between two people 1.0")).to_have_count(0)
