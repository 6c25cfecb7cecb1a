"""A model's page: its people and versions, and a next version sent by form."""

from pathlib import Path

from playwright.sync_api import expect

from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.database import transaction
from tests.conftest import files_of
from tests.core.test_package import zipped
from tests.e2e.conftest import Open


def test_a_member_sends_the_next_version_and_leaves_again(open_as: Open, tmp_path: Path) -> None:
    with transaction() as session:
        add_person(session, "mona", "Mona Vale", PASSWORD, ("owner",))
    page = open_as("nell")
    package = tmp_path / "first.zip"
    model = {"name": "Of a team", "version": "1", "tier": 3, "outcome": "binary", "purpose": "To see", "owner": "Us"}
    files = files_of(model=model)
    package.write_bytes(zipped(files))
    page.goto("/submit")
    page.get_by_role("button", name="Send a package").click()
    page.get_by_label("Package:").set_input_files(package)
    page.get_by_role("button", name="Submit the package").click()
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_have_text("Of a team 1")
    heading.get_by_role("link", name="Of a team").click()
    expect(page.get_by_text("No version is said to be in use.")).to_be_visible()
    login = page.get_by_label("Name that the new member signs in with")
    login.fill("nobody")
    page.get_by_role("button", name="Add a member").click()
    expect(page.get_by_role("alert")).to_contain_text("Nobody who may submit models signs in as 'nobody'.")
    login.fill("mona")
    page.get_by_role("button", name="Add a member").click()
    people = page.get_by_role("table", name="Who belongs to the model")
    expect(people).to_contain_text("Mona Vale")

    mona = open_as("mona")
    mona.goto("/submit")
    mona.get_by_role("button", name="Begin a form").click()
    form = mona.get_by_role("form", name="Brief")
    form.get_by_label("Belongs to").click()
    mona.get_by_role("option", name="Of a team, of Nell Farrow; newest version 1").click()
    expect(form.get_by_label("Model")).to_have_value("Of a team")
    form.get_by_role("button", name="Fill in what 1 said").click()
    expect(form.get_by_label("Purpose")).to_have_value("To see")
    expect(form.get_by_label("Built by")).to_have_value("Us")
    form.get_by_label("Version").fill("2")
    data = tmp_path / "rows.csv"
    data.write_bytes(next(content for path, content in files.items() if path.endswith(".csv")))
    form.get_by_label("Data file:").set_input_files(data)
    form.get_by_role("button", name="Submit the model").click()
    expect(mona.get_by_role("heading", level=1)).to_have_text("Of a team 2")
    mona.get_by_role("link", name="Models").click()
    mona.get_by_role("table", name="Models").get_by_role("link", name="Of a team").click()
    expect(mona.get_by_role("table", name="Versions").get_by_role("row")).to_have_count(3)
    expect(mona.get_by_role("button", name="Add a member")).to_have_count(0)

    # From the page of the model the form is begun as the newest version said; the same version asks why it comes again.
    mona.get_by_role("button", name="Send the next version").click()
    expect(form.get_by_label("Purpose")).to_have_value("To see")
    expect(form.get_by_role("group", name="As before")).to_contain_text("Filled in as 2 said")
    expect(form.get_by_label("Why it is reviewed again")).to_have_count(0)
    form.get_by_label("Version").fill("2")
    form.get_by_label("Why it is reviewed again").fill("Another winter.")
    form.get_by_label("Data file:").set_input_files(data)
    form.get_by_role("button", name="Submit the model").click()
    expect(mona.get_by_role("alert")).to_contain_text("Of a team 2 is under review.")
    mona.goto("/models/of-a-team")

    page.reload()
    page.get_by_role("button", name="Remove Mona Vale").click()
    expect(people).not_to_contain_text("Mona Vale")
    mona.reload()
    expect(mona.get_by_role("alert")).to_contain_text("There is no such model, or it is not yours to see.")
