"""A question between two people: asked beside a claim, answered with a file, asked again, settled."""

from playwright.sync_api import FilePayload, expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted


def test_a_question_goes_between_reviewer_and_owner(open_as: Open) -> None:
    page = submitted(open_as, "A word first", "1.0", rows_csv(300, seed=67))
    brief = page.url.replace("/plan", "/brief")
    page.goto(brief)
    asked = page.get_by_role("region", name="Questions to the owner")
    expect(asked).to_contain_text("Nothing was asked yet")
    asked.get_by_role("button", name="Ask the owner").click()
    form = page.get_by_role("dialog", name="Ask the owner")
    expect(form.get_by_role("button", name="Ask", exact=True)).to_be_disabled()
    form.get_by_label("Question").fill("Which stations are these rows of?")
    # What is typed and not sent is there when the form is opened again.
    form.get_by_role("button", name="Close").click()
    page.reload()
    asked.get_by_role("button", name="Ask the owner").click()
    expect(form.get_by_label("Question")).to_have_value("Which stations are these rows of?")
    form.get_by_role("button", name="Ask", exact=True).click()
    question = page.get_by_role("article", name="Question 1")
    expect(question).to_contain_text("waits for the owner; the case waits for it")

    page.goto(brief.replace("/brief", "/data?column=x"))
    page.get_by_role("button", name="Ask the owner").click()
    expect(form.get_by_role("blockquote")).to_contain_text("x: ")
    form.get_by_label("Question").fill("In which unit?")
    form.get_by_label("The case waits for the answer").uncheck()
    form.get_by_role("button", name="Ask", exact=True).click()
    expect(form).to_be_hidden()

    nell = open_as("nell")
    nell.goto("/")
    row = nell.get_by_role("row").filter(has_text="A word first")
    expect(row).to_contain_text("waits for the owner")
    nell.goto("/inbox")
    nell.get_by_role("link", name="Answer: 2 questions of A word first 1.0").click()
    theirs = nell.get_by_role("article", name="Question 1")
    theirs.get_by_role("button", name="Answer").click()
    answer = theirs.get_by_role("form", name="Answer, question 1")
    answer.get_by_label("Your answer").fill("Of all four.")
    proof: FilePayload = {"name": "stations.txt", "mimeType": "text/plain", "buffer": b"Four stations."}
    answer.locator("input[type=file]").set_input_files(proof)
    answer.get_by_role("button", name="Send the answer").click()
    expect(theirs.get_by_role("link", name="stations.txt", exact=True)).to_be_visible()
    expect(nell.get_by_role("article", name="Question 2").get_by_role("link", name="Column")).to_be_visible()
    expect(nell.get_by_role("button", name="Ask the owner")).to_have_count(0)

    page.goto("/inbox")
    page.get_by_role("link", name="Read the answer: 1 question of A word first 1.0").click()
    question.get_by_role("button", name="Ask again").click()
    question.get_by_label("What is still open").fill("Of the same year?")
    question.get_by_role("button", name="Send the question again").click()
    expect(question).to_contain_text("Of the same year?")

    # The second of two is told, and what was typed stays.
    theirs.get_by_role("button", name="Add to the answer").click()
    late = theirs.get_by_role("form", name="Answer, question 1")
    late.get_by_label("Your answer").fill("All of 2025.")
    late.get_by_role("button", name="Send the answer").click()
    expect(theirs.get_by_role("alert")).to_contain_text("changed since you opened it")
    expect(late.get_by_label("Your answer")).to_have_value("All of 2025.")
    late.get_by_role("button", name="Send the answer").click()
    expect(late).to_have_count(0)
    expect(theirs).to_contain_text("All of 2025.")

    page.reload()
    question.get_by_role("button", name="That settles it").click()
    expect(question).to_contain_text("settled")
    expect(question.get_by_role("button", name="Ask again")).to_be_visible()
