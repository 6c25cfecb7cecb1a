"""The fairness audit in the browser: by keyboard from the docket to a finding on a combination, and its other pages."""

import re

from playwright.sync_api import Page, expect

from tests.core.test_fairness import people, with_proxy
from tests.e2e.conftest import Open, planned, submitted
from tests.e2e.test_evidence import exhibit
from tests.e2e.test_views import serious
from tests.e2e.test_walks import RUN_MS

TREE = {"family": "tree", "settings": {"depth": 4, "rows_per_leaf": 20}, "threshold": 0.5, "seed": 2}


def sent(open_as: Open, version: str, csv: str, checks: list[str]) -> Page:
    page = submitted(open_as, "Fairly made", version, csv, claims=[], recipe=TREE)
    planned(page, checks)
    return page


def numbered(frame: object) -> str:
    frame.insert(0, "id", range(len(frame)))  # type: ignore[attr-defined,arg-type]
    return str(frame.to_csv(index=False))  # type: ignore[attr-defined]


def test_from_the_docket_to_a_finding_on_a_combination_by_keyboard(open_as: Open) -> None:
    page = sent(open_as, "by keys", numbered(people(2400, harmed="old women")), ["groups", "combinations"])
    keys = page.keyboard
    page.get_by_role("button", name="Lock the plan and run").focus()
    keys.press("Enter")
    expect(page).to_have_url(re.compile("/evidence"))
    expect(page.get_by_role("button", name=re.compile("Combinations"))).to_be_enabled(timeout=RUN_MS)
    keys.press("0")
    selected = page.get_by_role("table", name="Cases").locator("tr.Mui-selected")
    expect(selected).to_be_visible()
    for _ in range(300):
        if "by keys" in selected.inner_text():
            break
        keys.press("ArrowDown")
    keys.press("Enter")
    keys.press("4")
    expect(page).to_have_url(re.compile("/evidence"))
    expect(page.get_by_role("article")).to_be_visible()
    keys.press("]")
    article = page.get_by_role("article", name=re.compile("Combinations"))
    expect(article).to_contain_text("Neither ground alone accounts for it")
    assert serious(page) == []
    # The list has one stop; arrows move in it, and back.
    chosen = page.get_by_role("table", name="Groups").locator("[aria-selected=true]")
    for _ in range(40):
        if chosen.evaluate("row => row === document.activeElement"):
            break
        keys.press("Tab")
    expect(chosen).to_contain_text("worse than either alone")
    keys.press("ArrowDown")
    expect(chosen).not_to_contain_text("worse than either alone")
    keys.press("ArrowUp")
    expect(chosen).to_contain_text("f, old")
    keys.press("Enter")
    expect(page).to_have_url(re.compile("/findings"))
    title = page.get_by_label("Title")
    expect(title).to_have_value(re.compile("Sex f and age old"))
    expect(page.get_by_label("What is wrong")).to_have_value(re.compile("not its cause"))
    expect(title).to_be_focused()
    keys.press("Enter")
    kept = page.get_by_role("article").filter(has_text="Sex f and age old")
    expect(kept).to_contain_text("everyone else")
    expect(kept.get_by_role("link", name=re.compile("combinations"))).to_be_visible()


def test_a_ground_is_looked_at_otherwise_and_put_back(open_as: Open) -> None:
    frame = people(1200)
    frame["age"] = [str(20 + i % 70) for i in range(len(frame))]
    page = sent(open_as, "bands", numbered(frame), ["groups", "group_thresholds"])
    page.get_by_label("being wrongly picked").click()
    expect(page.get_by_label("being wrongly picked")).not_to_be_checked()
    expect(page.get_by_text("the ratio of shares selected; the difference of true positive rates")).to_be_visible()
    page.get_by_label("Why these harms").fill("A missed home may burn.")
    page.get_by_label("Why these harms").press("Tab")
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    expect(page.get_by_role("button", name=re.compile("Threshold by group"))).to_be_enabled(timeout=RUN_MS)
    exhibit(page, "Group by group")
    page.get_by_role("group", name="Grounds").get_by_role("button", name="Age").click()
    expect(page).to_have_url(re.compile("ground=Age"))
    cuts = page.get_by_label("Cuts between the bands")
    expect(cuts).to_have_value("25, 40, 65")
    cuts.fill("fifty")
    cuts.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="numbers that rise")).to_be_visible()
    cuts.fill("50")
    cuts.press("Enter")
    expect(page.get_by_text("nothing of this is kept")).to_be_visible()
    picture = page.get_by_role("img", name=re.compile("^Age, out-of-fold rows"))
    expect(picture).to_have_attribute("aria-label", re.compile("under 50"))
    page.get_by_label("Shown as").select_option("against")
    expect(page.get_by_text("thin lines are simultaneous intervals")).to_be_visible()
    assert serious(page) == []
    page.get_by_role("button", name="Back to the plan's groups").click()
    expect(picture).to_have_attribute("aria-label", re.compile("25 to under 40"))
    exhibit(page, "Threshold by group")
    page.get_by_role("button", name="Try a threshold for each group").click()
    box = page.get_by_role("group", name="A threshold for each group")
    expect(box).to_contain_text("not a recommendation")
    expect(box).to_contain_text("may be unlawful")
    assert serious(page) == []
    at = page.get_by_role("table", name="At the threshold")
    before = at.inner_text()
    box.get_by_label("Threshold of f").focus()
    for _ in range(60):
        page.keyboard.press("ArrowRight")
    expect(at).not_to_have_text(before)


def test_a_proxy_leads_to_the_distribution_behind_it(open_as: Open) -> None:
    page = sent(open_as, "stand-in", numbered(with_proxy(700)), ["proxies", "not_collected"])
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    expect(page.get_by_role("button", name=re.compile("Proxies"))).to_be_enabled(timeout=RUN_MS)
    exhibit(page, "Proxies")
    expect(page.get_by_role("article")).to_contain_text("'place' goes with sex")
    page.get_by_role("button", name="Pairs of features").click()
    expect(page.get_by_role("table", name="Pairs of features")).to_contain_text("place")
    assert serious(page) == []
    dot = page.get_by_role("link", name=re.compile("^place and sex"))
    dot.focus()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("column=place&by=sex"))
    expect(page.get_by_text("sex f").first).to_be_visible()
