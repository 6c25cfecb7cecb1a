"""What no computation answers: written, with a file beside it, and read again on the decision."""

from playwright.sync_api import FilePayload, expect

from tests.conftest import declaration, files_of
from tests.e2e.conftest import Open, sent_and_taken


def of_version(version: str) -> dict[str, bytes]:
    return files_of(model={**declaration()["model"], "version": version})


def test_a_statement_is_written_changed_and_read_on_the_decision(open_as: Open) -> None:
    page = sent_and_taken(open_as, of_version("stated"))
    base = page.url.removesuffix("/brief")
    page.goto(f"{base}/plan")
    asked = page.get_by_role("checkbox", name="Ask for intended use")
    expect(asked).to_be_checked()
    page.goto(f"{base}/evidence")
    page.get_by_role("button", name="Intended use").click()
    expect(page.get_by_text("due, not written")).to_be_visible()
    page.get_by_role("button", name="Save the statement").click()
    expect(page.get_by_text("Say how it stands.")).to_be_visible()
    page.get_by_label("Your judgement").fill("Crews act on it, and on nothing else.")
    page.reload()
    expect(page.get_by_label("Your judgement")).to_have_value("Crews act on it, and on nothing else.")
    page.get_by_role("radio", name="holds with reservations").check()
    page.get_by_label("Why it stands so").fill("The rows are of one winter.")
    page.get_by_role("button", name="Save the statement").click()
    expect(page.get_by_text("Holds with reservations, because: The rows are of one winter.")).to_be_visible()
    minutes: FilePayload = {"name": "minutes.txt", "mimeType": "text/plain", "buffer": b"As agreed in May."}
    page.locator("input[type=file]").set_input_files(minutes)
    with page.expect_download() as saved:
        page.get_by_role("link", name="Save minutes.txt").click()
    assert saved.value.path().read_bytes() == b"As agreed in May."
    with page.expect_popup() as opened:
        page.get_by_role("link", name="minutes.txt", exact=True).click()
    expect(opened.value.get_by_text("As agreed in May.")).to_be_visible()
    opened.value.close()
    page.get_by_role("button", name="Change it").click()
    page.get_by_label("Why it stands so").fill("Two winters, one of them mild.")
    page.get_by_role("button", name="Save the statement").click()
    expect(page.get_by_text("Two winters, one of them mild.")).to_be_visible()
    page.goto(f"{base}/decision")
    expect(page.get_by_text("Crews act on it, and on nothing else. 1 file attached.")).to_be_visible()
    page.get_by_role("link", name="1. Intended use").click()
    page.get_by_role("button", name="Withdraw").click()
    expect(page.get_by_text("due, not written")).to_be_visible()
    expect(page.get_by_role("link", name="intended use")).to_be_visible()


def test_one_of_the_reviewers_own_stands_under_its_question(open_as: Open) -> None:
    page = sent_and_taken(open_as, of_version("stated by oneself"))
    base = page.url.removesuffix("/brief")
    page.goto(f"{base}/evidence")
    page.get_by_role("link", name="Write a statement of your own").click()
    page.get_by_label("Title").fill("Who drew the sample")
    page.get_by_role("combobox", name="Question").click()
    page.get_by_role("option", name="1 Data fit for use?").click()
    page.get_by_label("Your judgement").fill("The county's own office, by address.")
    page.get_by_role("radio", name="holds", exact=True).check()
    page.get_by_label("Why it stands so").fill("The list is whole.")
    page.get_by_role("button", name="Save the statement").click()
    section = page.get_by_role("region", name="Is the data fit for use?")
    expect(section.get_by_role("button", name="Who drew the sample")).to_be_visible()
    expect(page.get_by_text("Holds, because: The list is whole.")).to_be_visible()
