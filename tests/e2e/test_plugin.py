"""What a package of others adds, as a reviewer meets it: in the plan's sentences, as an exhibit, in the report."""

import re

from playwright.sync_api import expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, planned, submitted
from tests.e2e.test_evidence import exhibit
from tests.e2e.test_walks import go


def test_a_measure_a_check_and_a_family_of_others_are_like_any(open_as: Open) -> None:
    recipe = {"family": "level_means", "settings": {"belief": 20}, "threshold": 0.5, "seed": 3}
    page = submitted(open_as, "Added to", "1", rows_csv(500, seed=4), claims=[], recipe=recipe)
    planned(page, ["holdout", "gap", "score_rounding"])
    # Its family knows no shortcut: left out one by one, every row is a fit, and the plan says what that costs.
    page.get_by_label("Kind of cross-validation").select_option("leave_one_out")
    expect(page.get_by_text(re.compile(r"[34]\d\d distinct fits"))).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    # Its measure judges; its sentence has two fields and a limit.
    page.get_by_label("Main measure").select_option("brier_skill")
    expect(page.get_by_label("Main measure")).to_have_value("brier_skill")
    decimals = page.get_by_label("Decimals of a score")
    decimals.fill("0")
    decimals.press("Enter")
    page.get_by_label("How scores are rounded").select_option(label="upwards")
    limit = page.get_by_label("Limit on the share of decisions that turn")
    limit.fill("0.01")
    limit.press("Enter")
    expect(page.get_by_label("Run score rounding")).to_be_checked()
    reason = page.get_by_label("Why the limit on score rounding departs from the policy")
    reason.fill("Decisions are taken on rounded scores.")
    with page.expect_response(lambda answer: "rounded scores" in (answer.request.post_data or "")):
        reason.press("Tab")
    page.reload()
    expect(reason).to_have_value("Decisions are taken on rounded scores.")
    expect(decimals).to_have_value("0")
    expect(limit).to_have_value("0.01")
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))

    exhibit(page, "Score rounding")
    article = page.get_by_role("article")
    expect(article).to_contain_text("Rounded to 0 decimals")
    expect(article).to_contain_text("outside its limit")
    picture = article.get_by_role("slider", name=re.compile("Share of decisions that turn"))
    expect(picture).to_be_visible()
    picture.press("ArrowRight")
    picture.press("ArrowRight")
    expect(picture).to_have_attribute("aria-valuetext", re.compile(r"^decimals 1.*: .*\d"))
    for mark in ("rect", "path", "circle"):
        assert picture.locator(mark).count() > 0, mark
    expect(article).to_contain_text("turned")
    exhibit(page, "Gap")
    expect(article).to_contain_text("Brier skill")

    go(page, "Brief")
    expect(page.get_by_text(re.compile("level means", re.IGNORECASE)).first).to_be_visible()
    base = re.sub(r"/brief.*", "", page.url)
    page.goto(f"{base}/report")
    report = page.frame_locator("iframe[title=Report]")
    expect(report.get_by_text("Share of decisions that turn").first).to_be_attached()
    expect(report.get_by_text("Wilson 1927; common practice.").first).to_be_attached()
