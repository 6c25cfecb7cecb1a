"""Every page of the house by keyboard alone: whatever can be pressed is reached by Tab, and nothing holds the focus."""

import pytest
from playwright.sync_api import Page

from tests.e2e.conftest import Open

_ONLY_BY_POINTER = """() => {
  const reached = 'a[href],button,input,select,textarea,summary,label,[tabindex="0"],[role=tab],[role=radio],[role=option],[role=menuitem],[role=row]';
  return [...document.querySelectorAll("body *")].filter((one) =>
    getComputedStyle(one).cursor === "pointer" && one.getClientRects().length > 0 && !one.closest(reached)
  ).map((one) => one.outerHTML.slice(0, 120));
}"""
"""What shows that it can be pressed, and is neither a control nor inside one."""

_STOPS = """() => {
  window.stops = [...document.querySelectorAll('a[href],button,input,select,textarea,summary,[tabindex="0"]')].filter((one) =>
    one.tabIndex >= 0 && !one.disabled && one.getClientRects().length > 0 && getComputedStyle(one).visibility !== "hidden"
    && !(one.type === "radio" && !one.checked));
  window.seen = new Set();
  document.activeElement?.blur();
  return window.stops.length;
}"""
_SEEN = """() => {
  const at = document.activeElement;
  if (at && at !== document.body) window.seen.add(at);
  return at === null || at === document.body;
}"""
_MISSED = "() => window.stops.filter((one) => !window.seen.has(one)).map((one) => one.outerHTML.slice(0, 120))"


def missed(page: Page) -> list[str]:
    """The controls that going through the page by Tab does not come to."""
    count = page.evaluate(_STOPS)
    for _ in range(count + 20):
        page.keyboard.press("Tab")
        if page.evaluate(_SEEN) and page.evaluate("() => window.seen.size > 0"):
            break
    return list(page.evaluate(_MISSED))


@pytest.mark.parametrize(
    ("login", "addresses"),
    [
        ("wren", ("/", "/policies", "/policies/0", "/people", "/security", "/retention", "/methods?find=auc", "/you")),
        ("iris", ("/", "/inbox", "/models", "/record", "/search", "/policies/overrides", "/policies/templates")),
        ("nell", ("/submit", "/cases/1/brief", "/cases/1/data", "/cases/1/plan", "/cases/2/new-rows", "/letters")),
    ],
)
def test_whatever_can_be_pressed_is_reached_by_tab(open_as: Open, login: str, addresses: tuple[str, ...]) -> None:
    page = open_as(login)
    faults: dict[str, list[str]] = {}
    for address in addresses:
        page.goto(address)
        page.get_by_role("navigation").first.wait_for()
        page.wait_for_load_state("networkidle")
        found = [*page.evaluate(_ONLY_BY_POINTER), *missed(page)]
        if found:
            faults[address] = found
    assert faults == {}


def test_what_the_keyboard_can_not_reach_is_found(open_as: Open) -> None:
    page = open_as("")
    page.set_content(
        """<nav><a href="#one">One</a> <button id="held">Two</button> <input aria-label="Three"></nav>
        <div style="cursor: pointer">Four</div>"""
    )
    assert [one[:4] for one in page.evaluate(_ONLY_BY_POINTER)] == ["<div"]
    page.evaluate("() => document.getElementById('held').onkeydown = (event) => event.preventDefault()")
    assert [one[:6] for one in missed(page)] == ["<input"]
