"""A reviewer has the report made otherwise: a sheet for the committee, another language, fewer parts."""

from playwright.sync_api import expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted
from tests.e2e.test_approvals import RUN_MS
from tests.e2e.test_views import serious


def test_a_report_is_made_to_order(open_as: Open) -> None:
    page = submitted(open_as, "Made to order", "1", rows_csv())
    page.goto(page.url.replace("/plan", "/decision"))
    page.get_by_role("link", name="One sheet for the committee").click()
    report = page.frame_locator("iframe[title=Report]")
    expect(report.get_by_text("Committee's sheet of a validation.")).to_be_visible(timeout=RUN_MS)
    assert serious(page) == []
    page.get_by_label("Numbers and dates").click()
    page.get_by_role("option", name="as in German").click()
    expect(report.get_by_text("are written as in German")).to_be_visible(timeout=RUN_MS)
    page.get_by_label("Length").click()
    page.get_by_role("option", name="The whole report").click()
    page.get_by_role("button", name="Parts: 12 of 12").click()
    parts = page.get_by_role("list", name="Parts, in order")
    expect(parts.get_by_role("checkbox", name="the decision")).to_be_disabled()
    parts.get_by_role("checkbox", name="the plan", exact=True).uncheck()
    parts.get_by_role("button", name="Up: findings").click()
    parts.get_by_role("button", name="Up: findings").click()
    assert serious(page) == []
    page.get_by_role("button", name="Make it so").click()
    expect(report.get_by_text("Left out of this report: the plan.")).to_be_visible(timeout=RUN_MS)
    assert report.get_by_role("heading", level=2).all_inner_texts()[:2] == ["Findings", "Decision"]
    with page.expect_download() as pdf:
        page.get_by_role("link", name="PDF", exact=True).click()
    assert pdf.value.path().read_bytes().startswith(b"%PDF")
    page.get_by_role("button", name="As the house has it").click()
    expect(page.get_by_role("button", name="Parts: 12 of 12")).to_be_visible(timeout=RUN_MS)
