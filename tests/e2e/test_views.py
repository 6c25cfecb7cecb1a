"""Each main view: nothing serious for axe in either theme, and the behaviour that is its own."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from brookfall.demo.seed import PASSWORD
from tests.e2e.conftest import Open

AXE = Path(__file__).resolve().parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
RUN_MS = 90_000
GROUND = "() => getComputedStyle(document.body).backgroundColor"


def serious(page: Page, rules: tuple[str, ...] = ()) -> list[str]:
    """What axe calls serious or critical on the page, each with the first element it is about; by some rules, or all."""
    page.evaluate(AXE.read_text(encoding="utf-8"))
    options = {"resultTypes": ["violations"], **({"runOnly": list(rules)} if rules else {})}
    found = page.evaluate("options => axe.run(document, options)", options)
    return [
        f"{violation['id']}: {violation['nodes'][0]['html'][:160]}"
        for violation in found["violations"]
        if violation["impact"] in ("serious", "critical")
    ]


@pytest.fixture
def case_address(open_as: Open) -> str:
    """Smoke alarm take-up, in review by Iris and run."""
    page = open_as("iris")
    row = page.get_by_role("row", name=re.compile("Smoke alarm take-up 2.1"))
    expect(row).to_be_visible()
    take = row.get_by_role("button", name="Take it")
    if take.count():
        take.click()
        row.get_by_text("Iris Marrow").wait_for()
    row.get_by_role("link").click()
    page.wait_for_url("**/cases/*/*")
    address = page.url.rsplit("/", 1)[0]
    page.goto(f"{address}/plan")
    expect(page.get_by_text(re.compile("distinct fit|still to be made"))).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("Lock the plan and run|Deviate from it"))).to_be_visible()
    lock = page.get_by_role("button", name="Lock the plan and run")
    if lock.count():
        lock.click()
        page.wait_for_url("**/evidence*")
    page.goto(f"{address}/evidence")
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Combinations"))).to_be_enabled(timeout=RUN_MS)
    return address


def test_axe_finds_nothing_serious_in_either_theme(open_as: Open, case_address: str) -> None:
    page = open_as("iris")
    faults: dict[str, list[str]] = {}
    steps = [f"{case_address}/{step}" for step in ("brief", "data", "plan", "findings?write=new", "decision")]
    exhibits = [f"{case_address}/evidence?exhibit={number}" for number in (2, 5, 7, 9, 10, 12, 13, 14, 15)]
    rows = f"{case_address}/rows?model=recipe&part=test&outcome=yes&decided=no&exhibit=7"
    for address in ["/", "/record", *steps, *exhibits, f"{case_address}/compare?part=test", rows]:
        page.goto(address)
        page.wait_for_load_state("networkidle")
        page.wait_for_timeout(300)
        page.emulate_media(color_scheme="light")
        found = serious(page)
        grounds = page.evaluate(GROUND)
        # The themes differ in nothing but their colours.
        page.emulate_media(color_scheme="dark")
        page.wait_for_function(f"ground => ({GROUND})() !== ground", arg=grounds)
        if found := found + serious(page, ("color-contrast",)):
            faults[address] = found
    assert faults == {}


def test_axe_finds_nothing_serious_for_an_owner(open_as: Open) -> None:
    page = open_as("nell")
    page.goto("/submit")
    assert serious(page) == []
    page.get_by_role("button", name="Begin a form").click()
    page.get_by_role("form", name="Brief").wait_for()
    assert serious(page) == []


def test_the_threshold_handle_moves_everything_at_once(open_as: Open, case_address: str) -> None:
    page = open_as("iris")
    requests: list[str] = []
    page.goto(f"{case_address}/evidence?exhibit=10")
    handle = page.get_by_role("slider", name="Threshold")
    expect(page.get_by_text("(as submitted)")).to_be_visible()
    before = page.get_by_role("row", name=re.compile("sex female")).inner_text()
    page.on("request", lambda request: requests.append(request.url))
    handle.focus()
    for _ in range(30):
        handle.press("ArrowRight")
    expect(page.get_by_text("At 0.650 (submitted: 0.500)")).to_be_visible()
    assert page.get_by_role("row", name=re.compile("sex female")).inner_text() != before
    assert not [url for url in requests if "/api/cases" in url and "/exhibits/" in url]


def test_the_address_is_the_view(open_as: Open, case_address: str) -> None:
    page = open_as("tom")
    page.goto(f"{case_address}/evidence?exhibit=12")
    expect(page.get_by_role("article")).to_contain_text("Exhibit 12, baseline")
    expect(page.get_by_role("button", name="Write a finding")).to_have_count(0)  # it is not Tom's case
    page.goto("/?state=decided")
    expect(page.get_by_role("button", name=re.compile("^Decided"))).to_have_attribute("aria-pressed", "true")


def test_a_view_that_is_not_there_says_so(open_as: Open) -> None:
    page = open_as("iris")
    page.goto("/cases/99999/brief")
    expect(page.get_by_role("alert")).to_contain_text("There is no such case")
    page.goto("/nowhere/at/all")
    expect(page.get_by_text("There is no such page")).to_be_visible()


def test_a_finding_half_written_is_still_there(open_as: Open, case_address: str) -> None:
    page = open_as("iris")
    page.goto(f"{case_address}/findings?write=new")
    page.get_by_label("Title").fill("Half a thought")
    page.reload()
    expect(page.get_by_label("Title")).to_have_value("Half a thought")
    page.get_by_role("button", name="Save and send to the owner").click()
    expect(page.get_by_text("Say what is wrong.")).to_be_visible()
    page.get_by_label("What is wrong").fill("All of it.")
    page.get_by_role("button", name="Save and send to the owner").click()
    article = page.get_by_role("article").filter(has_text="Half a thought")
    expect(article).to_contain_text("All of it.")
    article.get_by_role("button", name="Edit").click()
    page.get_by_label("What is wrong").fill("Most of it.")
    page.get_by_role("button", name="Save the finding").click()
    expect(article).to_contain_text("Most of it.")
    page.get_by_role("button", name="Undo").wait_for()
    page.keyboard.press("u")
    expect(article).to_contain_text("All of it.")
    # A reason that was half written is still there, too.
    article.get_by_role("button", name="Withdraw it").click()
    article.get_by_label("Why it is withdrawn").fill("It was a test")
    page.reload()
    article.get_by_role("button", name="Withdraw it").click()
    expect(article.get_by_label("Why it is withdrawn")).to_have_value("It was a test")
    article.get_by_role("button", name="Withdraw the finding").click()
    expect(article).to_contain_text("withdrawn")


def test_the_head_of_a_case_gives_way_to_what_is_scrolled(open_as: Open, case_address: str) -> None:
    page = open_as("iris")
    page.goto(f"{case_address}/evidence?exhibit=7")
    page.get_by_role("article").wait_for()
    work = page.get_by_role("main")

    def top() -> float:
        box = work.bounding_box()
        assert box
        return box["y"]

    tall = top()
    work.evaluate("main => main.scrollTo(0, 400)")
    expect(page.get_by_text(re.compile("^tier 3 · "))).to_have_count(0)
    assert top() < tall - 40
    # The course is still there to go by.
    expect(page.get_by_role("navigation", name="Course of the case").get_by_role("link")).to_have_count(6)
    work.evaluate("main => main.scrollTo(0, 0)")
    expect(page.get_by_text(re.compile("^tier 3 · "))).to_be_visible()
    assert top() == tall


def test_from_a_figure_to_how_it_is_made_in_two_steps(open_as: Open, case_address: str) -> None:
    page = open_as("iris")
    page.goto(f"{case_address}/evidence?exhibit=7")
    how = page.get_by_role("region", name="How it was computed")
    how.get_by_role("link", name="AUC", exact=True).click()
    auc = page.get_by_role("article").filter(has=page.get_by_role("heading", name="AUC auc", exact=True))
    expect(auc).to_be_in_viewport()
    expect(auc).to_contain_text("The share of pairs of a positive and a negative row")
    expect(auc).to_contain_text("0.525 [0.365 to 0.680], n 60, by delong_logit")
    page.goto("/methods")
    find = page.get_by_role("searchbox", name="Find")
    find.fill("wilson score")
    expect(page.get_by_role("status")).to_have_text(re.compile(r"^\d+ of \d+ methods$"))
    find.fill("nobody says this")
    expect(page.get_by_text("No method says that.")).to_be_visible()
    page.goto("/methods?find=leak")
    names = page.get_by_role("navigation", name="Methods by name")
    expect(names.get_by_role("link", name="Leak suspects", exact=True)).to_be_visible()
    expect(names.get_by_role("link", name="AUC", exact=True)).to_have_count(0)
    assert serious(page) == []
    page.emulate_media(media="print")
    expect(page.get_by_role("navigation", name="Brookfall")).to_be_hidden()
    expect(page.get_by_role("heading", name="Methods", exact=True)).to_be_visible()


def test_a_new_password_and_what_the_security_log_says_of_it(open_as: Open) -> None:
    from brookfall.desk.people import add_person
    from brookfall.records.database import transaction

    with transaction() as session:
        add_person(session, "olive", "Olive Tarn", PASSWORD, ("owner",))
    page = open_as("olive")
    page.get_by_role("link", name="Olive Tarn").click()
    form = page.get_by_role("form", name="Password")
    form.get_by_label("The one you have").fill("not-my-password")
    form.get_by_label("A new one").fill("a-longer-password")
    form.get_by_role("button", name="Change it").click()
    expect(form.get_by_role("alert")).to_contain_text("The password is not right.")
    form.get_by_label("The one you have").fill(PASSWORD)
    form.get_by_role("button", name="Change it").click()
    expect(form.get_by_role("status")).to_have_text("Changed. Other sessions have ended.")

    admin = open_as("wren")
    admin.get_by_role("link", name="Security log").click()
    log = admin.get_by_role("table", name="Security log")
    for words in ("signed in", "refused a signature", "changed a password"):
        expect(log.get_by_role("row", name=re.compile(f"{words} Olive Tarn 127.0.0.1")).first).to_be_visible()
    expect(page.get_by_role("link", name="Security log")).to_have_count(0)
