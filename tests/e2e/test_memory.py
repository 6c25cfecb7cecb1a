"""Trees read at every size and by every key, the handle along the curve, and labels marked and learned from."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import rows_csv
from tests.e2e.conftest import Open, planned, submitted
from tests.e2e.test_evidence import exhibit
from tests.e2e.test_walks import RUN_MS, go


def sent(open_as: Open, version: str, recipe: dict[str, object], checks: list[str], rows: int = 500) -> Page:
    """A model submitted, taken by Iris, and run under a plan of these checks alone."""
    page = submitted(open_as, "Grown here", version, rows_csv(rows, seed=8), claims=[], recipe=recipe)
    planned(page, checks)
    page.get_by_role("button", name="Lock the plan and run").click()
    expect(page).to_have_url(re.compile("/evidence"))
    return page


OVERLAPS = """tree => {
  const found = [];
  const rows = [...tree.querySelectorAll('[role=treeitem]')].map(row => [...row.querySelectorAll('text')].map(text => text.getBoundingClientRect()));
  const meet = (a, b) => a.left < b.right - 0.5 && b.left < a.right - 0.5 && a.top < b.bottom - 0.5 && b.top < a.bottom - 0.5;
  rows.forEach((texts, i) => {
    texts.forEach((one, j) => texts.slice(j + 1).forEach(other => meet(one, other) && found.push([i, i])));
    const next = rows[i + 1] ?? [];
    texts.forEach(one => next.forEach(other => one.bottom > other.bottom && found.push([i, i + 1])));
  });
  return found;
}"""


@pytest.mark.parametrize("leaves", [5, 50, 200])
def test_a_tree_of_any_size_is_readable_and_every_node_is_reached_by_key(open_as: Open, leaves: int) -> None:
    recipe = {"family": "tree", "settings": {"leaves": leaves}, "seed": 1}
    page = sent(open_as, f"tree {leaves}", recipe, ["trees"], rows=500 if leaves < 100 else 1500)
    exhibit(page, "Trees")
    depth = page.get_by_label("Depth shown")
    depth.fill("99")
    depth.press("Enter")
    deepest = int(re.findall(r"(\d+) splits? deep", page.get_by_role("article").inner_text())[-1])
    depth.fill(str(deepest))
    depth.press("Enter")
    tree = page.get_by_role("tree")
    items = page.get_by_role("treeitem")
    expect(items).to_have_count(2 * leaves - 1)
    assert tree.evaluate(OVERLAPS) == []
    items.first.focus()
    reached = set()
    for _ in range(2 * leaves - 1):
        reached.add(page.evaluate("() => document.activeElement.getAttribute('data-node')"))
        page.keyboard.press("ArrowDown")
    assert len(reached) == 2 * leaves - 1
    # Folded by one key, zoomed into by another, and out again.
    page.keyboard.press("Home")
    page.keyboard.press("ArrowLeft")
    expect(items).to_have_count(1)
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(items.first).to_have_attribute("aria-level", "1")
    expect(items.first).not_to_have_attribute("data-node", "0")
    page.keyboard.press("Backspace")
    expect(items.first).to_have_attribute("data-node", "0")


def test_the_handle_prunes_the_tree_and_a_row_is_followed(open_as: Open, tmp_path: Path) -> None:
    page = sent(open_as, "dial", {"family": "tree", "seed": 1}, ["complexity"])
    exhibit(page, "Complexity curve")
    article = page.get_by_role("article")
    expect(article).to_contain_text("At the submitted pruning of 0")
    handle = page.get_by_role("slider", name="pruning")
    expect(handle).to_have_attribute("aria-valuetext", "0")
    whole = int(re.findall(r"(\d+) leaves", article.inner_text())[0])
    handle.focus()
    for _ in range(12):
        handle.press("ArrowLeft")
    expect(handle).not_to_have_attribute("aria-valuetext", "0")
    page.get_by_role("button", name=re.compile("Simplest as good")).click()
    pruned = int(re.findall(r"(\d+) lea(?:f|ves), \d+ splits? deep", article.inner_text())[0])
    assert pruned < whole
    page.get_by_label("Pruning", exact=True).select_option("pruned")
    assert page.get_by_role("treeitem").count() <= 2 * pruned - 1
    page.get_by_label("Pruning", exact=True).select_option("whole")
    page.get_by_label("Row to follow").fill("3")
    page.get_by_label("Row to follow").press("Enter")
    expect(article).to_contain_text(re.compile(r"Row 3 passes \d+ splits?: "))
    assert page.locator("[role=treeitem][aria-selected=true]").count() > 1
    # A node on the way can be folded like any other.
    shown = page.get_by_role("treeitem").count()
    page.get_by_role("treeitem").first.focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("treeitem")).to_have_count(1)
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("treeitem")).to_have_count(shown)
    page.get_by_label("Row to follow").fill("99999")
    page.get_by_label("Row to follow").press("Enter")
    expect(page.get_by_role("alert").filter(has_text="no such tree or row")).to_be_visible()
    page.get_by_role("button", name="Leaf by leaf in words").click()
    sentences = page.get_by_role("list", name="Leaf by leaf").get_by_role("listitem")
    expect(sentences).to_have_count(whole)
    expect(sentences.first).to_contain_text(re.compile(r"^if .* training rows, .* unseen$"))
    for form, start in (("SVG", b"<?xml"), ("PDF", b"%PDF")):
        with page.expect_download() as download:
            page.get_by_role("link", name=form, exact=True).click()
        assert Path(download.value.path()).read_bytes().startswith(start)


def test_labels_are_marked_by_key_and_in_bulk_undone_and_learned_from(open_as: Open) -> None:
    page = sent(open_as, "labels", {"family": "logistic", "seed": 1}, ["labels"])
    exhibit(page, "Labels")
    article = page.get_by_role("article")
    rows = page.get_by_role("grid", name="Suspect labels").locator("tbody tr")
    expect(rows.nth(5)).to_be_attached()
    total = rows.count()
    # Fast keys: every one is kept, and every one can be undone.
    rows.first.focus()
    for key in "xckx":
        page.keyboard.press(key)
    expect(article).to_contain_text("4 labels marked: 2 wrong, 1 corrected, 1 kept")
    for _ in range(4):
        page.keyboard.press("u")
    expect(article).to_contain_text("No label is marked.")
    expect(article).not_to_contain_text("Saving …")
    page.reload()
    expect(article).to_contain_text("No label is marked.")
    rows.first.focus()
    for key, said in (("x", "1 label marked: 1 wrong"), ("c", "1 wrong, 1 corrected"), ("k", "1 corrected, 1 kept")):
        page.keyboard.press(key)
        expect(article).to_contain_text(said)
    expect(rows.nth(0)).to_contain_text("wrong")
    expect(rows.nth(1)).to_contain_text("now ")
    page.keyboard.press("u")
    expect(article).to_contain_text("2 labels marked: 1 wrong, 1 corrected, 0 kept")
    rows.nth(0).focus()
    page.keyboard.press("Delete")
    expect(article).to_contain_text("1 label marked")
    pair = page.get_by_label("Pair of classes")
    # Rows drawn at random, suspects and others: each one marked brings the share of wrong labels nearer.
    pair.select_option("drawn at random")
    expect(article).to_contain_text("the share of wrong labels follows (79 left)")
    expect(rows).to_have_count(80)
    pair.select_option(index=2)
    some = rows.count()
    assert 0 < some <= total
    page.get_by_role("button", name="wrong", exact=True).click()
    expect(article).to_contain_text(re.compile(rf"{some} wrong|{some - 1} wrong"))
    expect(page.get_by_role("button", name=re.compile(r"^\d+ Labels"))).to_contain_text("stale")
    expect(article).not_to_contain_text("Saving …")
    page.reload()
    expect(article).to_contain_text(re.compile(rf"({some}|{some - 1}) wrong"))
    page.get_by_role("link", name="See what learning from the labels as marked changes: run what changed.").click()
    page.get_by_role("button", name="Run what changed").click()
    expect(page).to_have_url(re.compile("/evidence"))
    exhibit(page, "Labels")
    expect(article).to_contain_text("Learning from the labels as marked removes", timeout=RUN_MS)
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV", exact=True).click()
    assert b"corrected_to" in Path(download.value.path()).read_bytes().splitlines()[0]
    go(page, "Decision")
    expect(page.get_by_role("region", name="Is the data fit for use?")).to_contain_text("labels")
