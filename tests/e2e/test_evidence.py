"""From the plan to the rows behind a cell, and a deviation: the reviewer's daily bread, by keyboard where it can be."""

import csv
import io
import re
from pathlib import Path
from typing import Any

import yaml
from playwright.sync_api import Page, Route, expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, planned, submitted
from tests.e2e.test_views import serious
from tests.e2e.test_walks import RUN_MS, go

CLAIMS = [{"measure": "auc", "part": "test", "value": "0.95"}, {"measure": "accuracy", "part": "test", "value": "0.70"}]
NAME = "Read closely"


def sent(open_as: Open, version: str, **changes: Any) -> Page:
    """A version of a small model, submitted by its owner and taken by Iris, at its plan."""
    return submitted(open_as, NAME, version, rows_csv(600, seed=31), claims=CLAIMS, **changes)


def on(page: Page, check: str) -> None:
    page.get_by_text(re.compile("distinct fits")).wait_for(timeout=RUN_MS)
    put = page.expect_response(
        lambda answer: answer.request.method == "PUT" and answer.url.endswith("/plan"), timeout=RUN_MS
    )
    with put:
        # By key: what is known of the time it takes arrives meanwhile, and moves what is below.
        page.get_by_label(f"Run {check}", exact=True).press("Space")
    expect(page.get_by_label(f"Run {check}", exact=True)).to_be_enabled()


def exhibit(page: Page, title: str) -> None:
    button = page.get_by_role("button", name=re.compile(rf"^\d+ {title}\b(?!,)"))
    expect(button).to_be_enabled(timeout=RUN_MS)
    button.click()
    expect(page.get_by_role("article")).to_contain_text(re.compile(title, re.IGNORECASE))


def test_plan_run_claims_threshold_challengers_rows_and_a_deviation(open_as: Open, tmp_path: Path) -> None:
    sent(open_as, "1", recipe={"family": "tree", "settings": {"depth": 2}})
    page = sent(open_as, "2")

    # The plan: about how long, set beside another's, as a file and back.
    on(page, "challengers")
    expect(page.get_by_text(re.compile("about .* of one worker"))).to_be_visible(timeout=RUN_MS)
    expect(page.get_by_label("Version in use", exact=True)).to_have_value("1")
    with page.expect_download() as download:
        page.get_by_role("link", name="Save it as YAML").click()
    kept = yaml.safe_load(Path(download.value.path()).read_text(encoding="utf-8"))
    kept["seed"] = 4711
    file = tmp_path / "plan.yaml"
    file.write_text(yaml.safe_dump(kept), encoding="utf-8")
    page.get_by_label("Plan file").set_input_files(file)
    other = page.get_by_role("region", name="What the other plan would change")
    expect(other).to_contain_text("seed: 20417 → 4711")
    other.get_by_role("button", name="Take it over").click()
    expect(page.get_by_label("Seed of the plan")).to_have_value("4711")
    file.write_text("seed: [", encoding="utf-8")
    page.get_by_label("Plan file").set_input_files(file)
    expect(page.get_by_role("alert").filter(has_text="The YAML can't be read")).to_be_visible()

    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    exhibit(page, "Combinations")
    expect(page.get_by_role("button", name="Cancel the run")).to_have_count(0, timeout=RUN_MS)

    exhibit(page, "Claims")
    expect(page.get_by_role("article")).to_contain_text("overstated")
    # Its reviewer takes it otherwise than it stands, with a reason that others read.
    page.get_by_role("button", name="Overrule its standing").click()
    form = page.get_by_role("form", name="Overrule its standing")
    form.get_by_label("Taken as").select_option(label="near its limit")
    form.get_by_label("Why").fill("It was rounded up by hand.")
    assert serious(page) == []
    form.get_by_role("button", name="Overrule it").click()
    expect(page.get_by_role("note", name="Overruled")).to_contain_text("Taken as near its limit by Iris Marrow")
    expect(page.get_by_role("navigation", name="Exhibits")).to_contain_text("overruled")
    reader = open_as("ada")
    reader.goto("/policies/overrides")
    expect(reader.get_by_role("table", name="Overrides")).to_contain_text("It was rounded up by hand.")
    assert serious(reader) == []
    exhibit(page, "Against the version in use")
    expect(page.get_by_role("article")).to_contain_text("would be chosen anew")

    # Challengers, and from there all models side by side under an address of their own.
    exhibit(page, "Challengers")
    page.keyboard.press("t")
    expect(page.get_by_role("region", name=re.compile("Ranked on .*, as a table"))).to_be_visible()
    page.keyboard.press("t")
    expect(page.get_by_role("region", name=re.compile("Ranked on .*, as a table"))).to_have_count(0)
    page.get_by_role("link", name="Compare models on the same rows").click()
    page.wait_for_url(re.compile("/compare"))
    expect(page.get_by_role("article", name="Comparison")).to_contain_text("On the same 420 out-of-fold rows")
    page.get_by_role("checkbox", name="random forest").click()
    page.get_by_role("button", name="Highlight as submitted").click()
    expect(page).to_have_url(re.compile("models=.*forest.*highlight=recipe"))
    colleague = open_as("ada")
    colleague.goto(page.url)
    expect(colleague.get_by_role("checkbox", name="random forest")).to_be_checked()
    expect(colleague.get_by_role("button", name="Highlight as submitted")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("link", name="Back to the evidence").click()

    # The threshold of least cost, kept in a finding with its own figures.
    exhibit(page, "Threshold")
    cost = page.get_by_label("Cost of a miss, in false alarms")
    cost.fill("4")
    cost.press("Enter")
    page.get_by_role("button", name="Go there").click()
    expect(page.get_by_role("article")).to_contain_text("(submitted: 0.500)")
    page.get_by_role("button", name=re.compile("Write a finding at 0")).click()
    form = page.get_by_role("form", name="Finding")
    form.get_by_label("Title").fill("The threshold is set too high for what a miss costs")
    # Whoever goes on before all is known to be kept stays where they went, and the kept text is no draft any more.
    held: list[Route] = []

    def hold(route: Route) -> None:
        held.append(route)

    page.route("**/decision", hold)
    form.get_by_role("button", name="Save and send to the owner").click()
    expect(page.get_by_role("article")).to_contain_text("With a miss as dear as 4 false alarms it costs")
    go(page, "Evidence")
    exhibit(page, "Holdout")
    for route in held:
        route.continue_()
    page.unroute("**/decision")
    page.wait_for_function("!Object.keys(localStorage).some((key) => key.startsWith('brookfall.finding.'))")
    expect(page).to_have_url(re.compile("/evidence"))

    # From a cell to its rows, sorted by the score, and out as a file; then the exhibit replayed.
    cell = page.get_by_role("link", name=re.compile(r"rows, yes decided as no"))
    count = int(cell.inner_text())
    # By key: charts that are still being loaded may move what a mouse points at.
    cell.press("Enter")
    expect(page.get_by_role("heading", level=2)).to_contain_text(f"{count} of 600 rows: test rows")
    page.get_by_role("button", name="score", exact=True).click()
    expect(page.get_by_role("columnheader", name="score ↑")).to_have_attribute("aria-sort", "ascending")
    with page.expect_download() as download:
        page.get_by_role("link", name="Save as CSV").click()
    rows = list(csv.DictReader(io.StringIO(Path(download.value.path()).read_text(encoding="utf-8"), newline="")))
    assert len(rows) == count
    assert {row["y"] for row in rows} == {"yes"}
    assert all(float(row["score"]) < 0.5 for row in rows)
    page.get_by_role("link", name=re.compile("Back to exhibit")).click()
    expect(page.get_by_role("article")).to_contain_text("Holdout", ignore_case=True)
    page.keyboard.press("r")
    expect(page.get_by_role("region", name="Replay")).to_contain_text("the same, bit for bit", timeout=RUN_MS)
    expect(page.get_by_role("figure", name="ROC curve", exact=True).locator("svg").first).to_be_visible()
    for kind in ("SVG", "PNG", "CSV"):
        with page.expect_download() as download:
            # By key too: a replay's answer moves what is below it.
            page.get_by_role("button", name=f"Save ROC curve as {kind}").press("Enter")
        saved = Path(download.value.path()).read_bytes()
        assert saved.startswith({"SVG": b"<svg", "PNG": b"\x89PNG", "CSV": b"line,false positive rate"}[kind])

    # A deviation: reason, change, what is stale, and only that run again.
    go(page, "Plan")
    page.get_by_role("button", name="Deviate from it").click()
    form = page.get_by_role("form", name="Deviation")
    expect(form.get_by_role("button", name="Open it for this")).to_be_disabled()
    form.get_by_label(re.compile("Why the locked plan")).fill("The use asks for a smaller gap")
    form.get_by_role("button", name="Open it for this").click()
    expect(page.get_by_text("Deviation 1 is open:")).to_be_visible()
    limit = page.get_by_label("Limit on the gap in AUC", exact=True)
    limit.fill("0.02")
    limit.press("Enter")
    expect(page.get_by_text(re.compile("limit on the gap: ≤ 0.05, ideally 0 → ≤ 0.02"))).to_be_visible()
    reason = page.get_by_label("Why the limit on the gap departs from the policy")
    reason.fill("Two crews act on it at once.")
    reason.press("Tab")
    expect(page.get_by_text(re.compile("^0 fits of .* and 1 exhibit still to be made"))).to_be_visible()
    go(page, "Evidence")
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Gap"))).to_contain_text("stale")
    go(page, "Plan")
    page.get_by_role("button", name="Lock again and run what changed").click()
    expect(page).to_have_url(re.compile("/evidence"))
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Gap"))).not_to_contain_text("stale", timeout=RUN_MS)
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Gap"))).to_be_enabled(timeout=RUN_MS)
    go(page, "Decision")
    expect(page.get_by_text("1. The use asks for a smaller gap")).to_be_visible()


def test_a_deviation_opens_the_roles_and_can_be_taken_back(open_as: Open) -> None:
    page = sent(open_as, "3")
    for check in ("in use", "claims"):
        if page.get_by_label(f"Run {check}", exact=True).is_checked():
            on(page, check)
    page.get_by_role("button", name="Lock the plan and run").click()
    exhibit(page, "Combinations")
    expect(page.get_by_role("button", name="Cancel the run")).to_have_count(0, timeout=RUN_MS)
    go(page, "Data")
    page.get_by_role("link", name="a deviation").click()
    page.get_by_role("button", name="Deviate from it").click()
    page.get_by_label(re.compile("Why the locked plan")).fill("z was written after the event")
    page.get_by_role("button", name="Open it for this").click()
    expect(page.get_by_text("Nothing has been changed yet.")).to_be_visible()
    go(page, "Data")
    expect(page.get_by_label("Role of z")).to_be_enabled()
    page.locator("[data-column=z]").click(position={"x": 400, "y": 20})
    page.keyboard.press("x")
    expect(page.get_by_label("Role of z")).to_have_value("ignore")
    go(page, "Plan")
    expect(page.get_by_text("ignore: z added")).to_be_visible()
    page.get_by_role("button", name="Take it back").click()
    expect(page.get_by_role("button", name="Deviate from it")).to_be_visible()
    go(page, "Data")
    expect(page.get_by_label("Role of z")).to_have_value("feature")


def test_the_plan_page_knows_when_a_run_has_ended(open_as: Open) -> None:
    slow = {"family": "forest", "settings": {"trees": 300}}
    page = sent(open_as, "followed", recipe=slow)
    planned(page, ["profile", "holdout", "cross_validation"])
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    go(page, "Plan")  # while it runs; nothing on this page asks again by itself
    expect(page.get_by_role("button", name="Deviate from it")).to_be_enabled(timeout=RUN_MS)
    expect(page.get_by_role("button", name="Running")).to_have_count(0)
