"""Sending files: a cut is gone on from, what is wrong is said and mended, a reviewer adds a sample."""

import re
from pathlib import Path

import numpy as np
from playwright.sync_api import Route, expect

from tests.conftest import files_of
from tests.core.test_package import zipped
from tests.e2e.conftest import Open
from tests.e2e.test_data import submitted

PIECE = 4 << 20


def test_a_cut_upload_goes_on_and_a_form_with_a_fault_is_mended(open_as: Open, tmp_path: Path) -> None:
    page = open_as("nell")
    data = tmp_path / "large.csv"
    columns = ",".join(f"x{i}" for i in range(60))
    filler = ",".join(["0.123456"] * 60)
    data.write_text(f"y,{columns}\n" + "".join(f"{'yes' if i % 3 else 'no'},{filler}\n" for i in range(16_000)))
    assert data.stat().st_size > 2 * PIECE
    offsets: list[int] = []

    def cut(route: Route) -> None:
        offsets.append(int(re.search(r"offset=(\d+)", route.request.url)[1]))
        if len(offsets) == 2:
            route.abort("connectionreset")
        else:
            route.continue_()

    page.route(re.compile("/files\\?path=data"), cut)
    page.goto("/submit")
    page.get_by_role("button", name="Begin a form").click()
    form = page.get_by_role("form", name="Brief")
    form.get_by_label("Data file:").set_input_files(data)
    expect(form.get_by_label("Separator")).to_have_value(",")
    expect(form.get_by_role("progressbar")).to_have_count(0)
    # The second piece was cut, and sent again from where the server had come to.
    assert offsets[:3] == [0, PIECE, PIECE]
    form.get_by_label("Model").fill("Large by form")
    form.get_by_label("Version").fill("1")
    form.get_by_label("Purpose").fill("To see")
    form.get_by_label("Built by").fill("Us")
    form.get_by_label("Target").click()
    page.get_by_role("option", name="x0", exact=True).click()
    form.get_by_role("button", name="Submit the model").click()
    expect(page.get_by_role("alert")).to_contain_text("column x0")
    page.reload()
    expect(page.get_by_role("alert")).to_contain_text("column x0")
    form.get_by_label("Target").click()
    page.get_by_role("option", name="y", exact=True).click()
    form.get_by_role("button", name="Submit the model").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Large by form 1")


def test_a_file_that_was_left_half_sent_is_chosen_again(open_as: Open, tmp_path: Path) -> None:
    page = open_as("nell")
    package = tmp_path / "half.zip"
    model = {"name": "Half sent", "version": "1", "tier": 3, "outcome": "binary", "purpose": "To see", "owner": "Us"}
    files = files_of(model=model)
    files["notes.bin"] = np.random.default_rng(1).bytes(6 << 20)
    package.write_bytes(zipped(files))
    sent: list[str] = []

    def once(route: Route) -> None:
        if sent:
            route.abort()
        else:
            sent.append("x")
            route.continue_()

    page.route(re.compile("/files\\?"), once)
    page.goto("/submit")
    page.get_by_role("button", name="Send a package").click()
    with page.expect_response(lambda answer: "/files?" in answer.url and answer.ok):
        page.get_by_label("Package:").set_input_files(package)
    # Left while the rest still can't be sent: what was begun would go on of itself.
    page.reload()
    page.unroute_all()
    expect(page.get_by_text("have come. Choose half.zip again")).to_be_visible()
    page.get_by_label("Go on with half.zip").set_input_files(package)
    page.get_by_role("button", name="Submit the package").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Half sent 1")


def test_what_is_half_done_is_thrown_away(open_as: Open) -> None:
    page = open_as("nell")
    page.goto("/submit")
    page.get_by_role("button", name="Begin a form").click()
    page.get_by_role("form", name="Brief").get_by_label("Model").fill("Never sent")
    page.get_by_role("link", name="All that is half done").click()
    page.get_by_role("button", name="Throw away Never sent").click()
    expect(page.get_by_role("link", name="Never sent")).to_have_count(0)


def test_a_reviewer_adds_a_sample_and_joins_it(open_as: Open) -> None:
    page = submitted(open_as, "sampled")
    asked: list[str] = []

    def late(route: Route) -> None:
        """The second question about the draft is answered with what was so before the file had come."""
        asked.append(route.request.url)
        nth = len(asked)
        answer = route.fetch()
        if nth == 2:
            page.wait_for_timeout(1500)
        route.fulfill(response=answer)

    page.route(re.compile(r"/api/drafts/\d+$"), late)
    sample = "number,disability\n" + "".join(f"i{i},{'yes' if i % 4 == 0 else 'no'}\n" for i in range(120))
    page.get_by_role("button", name="Add a table").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("File:").set_input_files(
        {"name": "asked.csv", "mimeType": "text/csv", "buffer": sample.encode()}
    )
    dialog.get_by_label("Its key").select_option("number")
    dialog.get_by_role("button", name="Add it").click()
    expect(dialog.get_by_role("alert")).to_contain_text("There is no column 'number'")
    dialog.get_by_role("button", name="Close").click()
    named = sample.replace("number,", "id,")
    page.get_by_role("button", name="Add a table").click()
    dialog.get_by_label("File:").set_input_files(
        {"name": "asked.csv", "mimeType": "text/csv", "buffer": named.encode()}
    )
    dialog.get_by_label("Its key").select_option("id")
    dialog.get_by_role("button", name="Add it").click()
    expect(dialog).to_have_count(0)
    expect(page.get_by_text("added by the reviewer")).to_be_visible()
    page.get_by_role("button", name=re.compile("Join asked")).click()
    page.get_by_role("dialog").get_by_role("button", name="Do it").click()
    expect(page.locator("[data-column=disability]")).to_contain_text("60.0 % missing")
