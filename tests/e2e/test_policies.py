"""An administrator drafts a policy and signs it; a countersigner reads what it changes, and signs it too."""

from pathlib import Path

from playwright.sync_api import expect

from brookfall.demo.seed import PASSWORD
from tests.e2e.conftest import Open
from tests.e2e.test_views import serious


def test_a_policy_is_drafted_signed_by_two_and_waits_for_its_date(open_as: Open) -> None:
    admin = open_as("wren")
    admin.get_by_role("link", name="Policies").click()
    expect(admin.get_by_text("common practice, which nobody here has signed")).to_be_visible()
    assert serious(admin) == []
    admin.get_by_role("button", name="Draft the next policy").click()
    name = admin.get_by_label("Name of the policy")
    reason = admin.get_by_label("What changes, and why")
    reason.fill("Gaps of five points were too wide for visits.")
    most = admin.get_by_label("≤ of the gap, tier 1")
    most.fill("0.02")
    most.press("Enter")
    changes = admin.get_by_role("table", name="What it changes")
    expect(changes).to_contain_text("≤ 0.05, ideally 0")
    expect(reason).to_have_value("Gaps of five points were too wide for visits.")
    least = admin.get_by_label("≥ of the gap, tier 1")
    least.fill("0.5")
    least.press("Enter")
    expect(admin.get_by_role("alert")).to_contain_text("at_least 0.5 is above at_most 0.02")
    name.fill("Hollinmoor 2094")
    admin.get_by_role("button", name="Save name and reason").click()
    expect(admin.get_by_role("heading", name="Hollinmoor 2094")).to_be_visible()
    admin.get_by_role("button", name="Open the text").click()
    text = admin.get_by_label("The policy's text")
    text.fill(text.input_value().replace("days_to_answer: 14", "days_to_answer: many", 1))
    admin.get_by_role("button", name="Take the text over").click()
    expect(admin.get_by_role("alert").last).to_contain_text("days_to_answer: this must be a whole number")
    text.fill(text.input_value().replace("days_to_answer: many", "days_to_answer: 7", 1))
    admin.get_by_role("button", name="Take the text over").click()
    expect(changes).to_contain_text("7 days")
    asked = Path(__file__).parents[2] / "docs" / "examples" / "county-equal-service.yaml"
    admin.get_by_label("Take requirements in from a YAML file").set_input_files(asked)
    expect(admin.get_by_role("table", name="County duty of equal service")).to_contain_text("Two people answer")
    assert serious(admin) == []
    admin.get_by_label("In force from").fill("2094-01-01")
    admin.get_by_label("Your password, to sign").fill(PASSWORD)
    admin.get_by_role("button", name="Propose it").click()
    expect(admin.get_by_text("It waits for a countersigner")).to_be_visible()

    tom = open_as("tom")
    tom.goto("/inbox")
    tom.get_by_role("link", name="Hollinmoor 2094").click()
    expect(tom.get_by_role("table", name="What it changes")).to_contain_text("limit on the gap")
    expect(tom.get_by_role("region", name="What it would have changed")).to_be_visible()
    assert serious(tom) == []
    tom.get_by_label("Your password, to sign").fill(PASSWORD)
    tom.get_by_role("button", name="Countersign the policy").click()
    expect(tom.get_by_text("In force from 1 Jan 2094, number 1.")).to_be_visible()

    nell = open_as("nell")
    nell.goto("/policies")
    row = nell.get_by_role("row", name="Hollinmoor 2094")
    expect(row).to_contain_text("Wren Hale and Tom Aldous")
    expect(nell.get_by_text("common practice, which nobody here has signed")).to_be_visible()
