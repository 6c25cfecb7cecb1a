"""Who was never here signs in by the house's own provider, and confirms there that it is they who sign."""

import re

from playwright.sync_api import expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, planned, submitted
from tests.e2e.test_approvals import proposed, ran
from tests.e2e.test_views import serious


def test_a_countersigner_without_a_password_signs_by_the_provider(open_as: Open) -> None:
    iris = submitted(open_as, "Signed elsewhere", "1.0", rows_csv(300, seed=72))
    planned(iris, ["profile", "claims", "holdout"])
    ran(iris)
    proposed(iris)
    page = open_as("")
    assert serious(page) == []
    page.get_by_role("link", name="Sign in by the county's sign-in").click()
    expect(page.get_by_role("heading", name="Hollinmoor sign-in")).to_be_visible()
    page.get_by_role("button", name="Orrin Peel").click()
    expect(page.get_by_role("button", name="Sign out")).to_be_visible()
    page.goto(iris.url)
    signing = page.get_by_role("region", name="Countersign")
    expect(signing.get_by_label("Your password")).to_have_count(0)
    accept = signing.get_by_role("button", name="Accept and countersign")
    expect(accept).to_be_disabled()
    comment = signing.get_by_label("Comment")
    comment.fill("As discussed.")
    with page.expect_popup() as opened:
        signing.get_by_role("link", name="Confirm by the county's sign-in that it is you").click()
    opened.value.get_by_role("button", name="Orrin Peel").click()
    expect(opened.value.get_by_role("heading", name="It is you")).to_be_visible()
    expect(opened.value).to_have_url(re.compile("/confirmed$"))
    expect(signing.get_by_role("status")).to_have_text("Confirmed, for one signature.")
    expect(comment).to_have_value("As discussed.")
    assert serious(page) == []
    accept.click()
    expect(page.get_by_role("region", name="Decision")).to_contain_text("in force")
    page.goto("/you")
    expect(page.get_by_text("You sign in by the county's sign-in")).to_be_visible()
    expect(page.get_by_label("The one you have")).to_have_count(0)
