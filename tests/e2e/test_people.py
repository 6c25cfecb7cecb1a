"""An administrator adds a person, who chooses a password by a link, sets up a second factor, and leaves one day."""

import re

import pyotp
from playwright.sync_api import Page, expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, submitted
from tests.e2e.test_views import serious

_PASSWORD = "seven grey herons wade"


def signs_in(page: Page, password: str) -> None:
    page.goto("/")
    page.get_by_label("Name to sign in with").fill("orla")
    page.get_by_role("textbox", name="Password").fill(password)
    page.get_by_role("button", name="Sign in").click()


def test_a_person_comes_works_and_leaves(open_as: Open) -> None:
    admin = open_as("wren")
    admin.get_by_role("link", name="People").click()
    admin.get_by_role("button", name="Add a person").click()
    form = admin.get_by_role("form", name="Add a person")
    form.get_by_label("Name, as others read it").fill("Orla Finch")
    form.get_by_label("Name to sign in with").fill("wren")
    form.get_by_label("reviewer").check()
    form.get_by_role("button", name="Add them").click()
    expect(form.get_by_role("alert")).to_contain_text("Somebody signs in as 'wren' already.")
    form.get_by_label("Name to sign in with").fill("orla")
    form.get_by_role("button", name="Add them").click()
    expect(admin.get_by_role("heading", name="Orla Finch")).to_be_visible()
    admin.get_by_role("button", name="Make a link to hand over").click()
    link = admin.get_by_label("The one-time link").inner_text()
    account = admin.url
    assert serious(admin) == []

    orla = open_as("")
    orla.goto(link)
    expect(orla.get_by_role("heading", name="Welcome, Orla Finch")).to_be_visible()
    password = orla.get_by_role("textbox", name="Password")
    password.fill("orla finch 1")
    expect(orla.get_by_text("Not taken: little but the person's own name.")).to_be_visible()
    orla.get_by_role("button", name="Choose this password").click()
    expect(orla.get_by_role("alert")).to_contain_text("little but the person's own name")
    password.fill(_PASSWORD)
    expect(orla.get_by_text("Taken: very hard to guess.")).to_be_visible()
    assert serious(orla) == []
    orla.get_by_role("button", name="Choose this password").click()
    orla.get_by_role("link", name="Sign in as orla").click()
    signs_in(orla, _PASSWORD)
    orla.get_by_role("link", name="Orla Finch, reviewer").click()
    factor = orla.get_by_role("region", name="Second factor")
    factor.get_by_label("Your password").fill(_PASSWORD)
    factor.get_by_role("button", name="Set up a second factor").click()
    key = factor.get_by_label("Key of the authenticator").inner_text()
    expect(factor.get_by_role("img")).to_be_visible()
    factor.get_by_label("The code it shows now").fill(pyotp.TOTP(key).now())
    factor.get_by_role("button", name="Confirm it").click()
    codes = factor.get_by_role("list", name="Recovery codes").get_by_role("listitem")
    expect(codes).to_have_count(10)
    code = codes.first.inner_text()
    assert serious(orla) == []

    second = open_as("")
    signs_in(second, _PASSWORD)
    expect(second.get_by_role("status")).to_contain_text("The password is right; a code is wanted too.")
    second.get_by_label("Code of your authenticator").fill("123456")
    second.get_by_role("button", name="Sign in").click()
    expect(second.get_by_role("alert")).to_contain_text("the code is not right")
    second.get_by_label("Code of your authenticator").fill(code)
    second.get_by_role("button", name="Sign in").click()
    second.get_by_role("link", name="Orla Finch, reviewer").click()
    sessions = second.get_by_role("table", name="Your sessions")
    expect(sessions.get_by_role("row")).to_have_count(3)
    sessions.get_by_role("button", name=re.compile("End the session from")).click()
    expect(sessions.get_by_role("row")).to_have_count(2)
    orla.goto("/")
    expect(orla.get_by_role("button", name="Sign in")).to_be_visible()

    iris = submitted(open_as, "Of a reviewer who leaves", "1.0", rows_csv(300, seed=19))
    iris.goto(iris.url.replace("/plan", "/brief"))
    iris.get_by_role("button", name="Hand over, put off …").click()
    dialog = iris.get_by_role("dialog", name="Of a reviewer who leaves 1.0")
    dialog.get_by_label("New reviewer").click()
    iris.get_by_role("option", name="Orla Finch").click()
    dialog.get_by_label("Why").fill("Orla knows the rows.")
    dialog.get_by_role("button", name="Hand it over").click()
    expect(iris.get_by_text("in review by Orla Finch")).to_be_visible()

    admin.goto(account)
    admin.get_by_label("Why they sign in no more").fill("She left.")
    admin.get_by_role("button", name="Disable Orla Finch").click()
    held = admin.get_by_role("region", name="What they hold")
    expect(held).to_contain_text("1 case in hand: Of a reviewer who leaves 1.0.")
    hand = held.get_by_role("form")
    hand.get_by_label("Hand all to").click()
    admin.get_by_role("option", name="Iris Marrow").click()
    hand.get_by_label("Why they are handed over").fill("Orla left.")
    hand.get_by_role("button", name="Hand them over").click()
    expect(held).to_contain_text("No case in review")
    second.reload()
    expect(second.get_by_role("button", name="Sign in")).to_be_visible()
    admin.get_by_role("link", name="People").last.click()
    row = admin.get_by_role("row", name=re.compile("Orla Finch"))
    expect(row).to_contain_text(re.compile(r"disabled \d+ \w+ \d{4}$"))
    assert serious(admin) == []


def test_a_team_is_made_and_a_model_is_of_it(open_as: Open) -> None:
    admin = open_as("wren")
    admin.goto("/people")
    admin.get_by_role("button", name="Make a team").click()
    form = admin.get_by_role("form", name="Make a team")
    form.get_by_label("Name of the team").fill("Visits")
    form.get_by_label("Members").click()
    admin.get_by_role("option", name="Nell Farrow").click()
    assert serious(admin) == []
    form.get_by_role("button", name="Keep it").click()
    row = admin.get_by_role("table", name="Teams").get_by_role("row", name=re.compile("^Visits"))
    expect(row).to_contain_text("Nell Farrow")
    row.get_by_role("button", name="Change Visits").click()
    change = admin.get_by_role("form", name="Change Visits")
    change.get_by_label("Name of the team").fill("Home visits")
    change.get_by_role("button", name="Keep it").click()
    expect(admin.get_by_role("row", name=re.compile("^Home visits"))).to_be_visible()

    nell = open_as("nell")
    nell.goto("/models/smoke-alarm-take-up")
    nell.get_by_role("combobox", name="Team").click()
    nell.get_by_role("option", name="Home visits").click()
    expect(nell.get_by_role("combobox", name="Team")).to_have_text("Home visits")
    iris = open_as("iris")
    iris.goto("/models/smoke-alarm-take-up")
    expect(iris.get_by_text("Of the team Home visits.")).to_be_visible()
    admin.reload()
    expect(admin.get_by_role("row", name=re.compile("^Home visits Nell Farrow 1"))).to_be_visible()
    admin.get_by_role("button", name="Change Home visits").click()
    admin.get_by_role("button", name="Close the team").click()
    expect(admin.get_by_role("row", name=re.compile("^Home visits.*closed"))).to_be_visible()
