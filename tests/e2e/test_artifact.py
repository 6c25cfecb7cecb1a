"""A fitted model that is not what its recipe says: read, run, found out, made a finding."""

import re

from playwright.sync_api import expect

from tests.core.test_artifact import NUMBERS, TEXTS, files_with, fitted, other_for_green, table
from tests.e2e.conftest import Open, planned, sent_and_taken
from tests.e2e.test_views import serious
from tests.e2e.test_walks import RUN_MS, go
from tests.onnx_models import by_column


def test_a_fitted_model_that_differs_from_its_recipe_becomes_a_finding(open_as: Open) -> None:
    rows = table()
    model = by_column(other_for_green(fitted(rows, *TEXTS)), rows, [*NUMBERS, *TEXTS])
    named = {"name": "Model as it runs", "version": "1", "tier": 3, "outcome": "binary", "purpose": "p", "owner": "o"}
    page = sent_and_taken(open_as, files_with(model, rows, model=named))
    brief = page.get_by_role("table", name="Fitted model")
    expect(brief).to_contain_text("x (float32, any × 1), z (float32, any × 1), kind (text, any × 1)")
    expect(brief).to_contain_text("LinearClassifier")
    for scheme in ("light", "dark"):
        page.emulate_media(color_scheme=scheme)
        assert serious(page) == []

    go(page, "Plan")
    expect(page.get_by_text("The fitted model is tested as it was submitted, on the owner's own parts")).to_be_visible()
    planned(page, ["claims", "influence"])
    page.get_by_role("button", name="Lock the plan and run").click()
    button = page.get_by_role("button", name=re.compile(r"^\d+ Claims"))
    expect(button).to_be_enabled(timeout=RUN_MS)
    button.click()
    found = page.get_by_role("article")
    expect(found).to_contain_text("Refitted here, the recipe gives other scores than the fitted model: by up to")
    expect(found).to_contain_text(re.compile("They lie apart, by more than .*, where kind = green"))
    furthest = found.get_by_role("table", name=re.compile("score furthest apart"))
    expect(furthest.get_by_role("row")).to_have_count(11)

    page.get_by_role("button", name=re.compile("^Write a finding")).click()
    form = page.get_by_role("form", name="Finding")
    form.get_by_label("Title").fill("What runs is not what the recipe says")
    form.get_by_label("What must be done").fill("Send the model that the recipe makes, or the recipe of this one.")
    form.get_by_role("button", name="Save and send to the owner").click()
    expect(page.get_by_role("article")).to_contain_text(re.compile(r"Exhibit \d+, claims"))
