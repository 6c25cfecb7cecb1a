"""Every page of the house at twice its size: nothing is cut off or laid over another, in both themes."""

import pytest
from playwright.sync_api import ViewportSize, expect

from tests.e2e.conftest import Open
from tests.e2e.test_views import serious

_TWICE: ViewportSize = {"width": 640, "height": 400}
"""What is left of 1280 by 800 points where each is two wide."""

_CUT_OFF = """() => {
  const wide = [...document.body.querySelectorAll("button, a, input, select, textarea, h1, h2, p")].filter((one) => {
    const box = one.getBoundingClientRect();
    if (box.width === 0) return false;
    for (let at = one.parentElement; at; at = at.parentElement)
      if (at.scrollWidth > at.clientWidth + 1 && ["auto", "scroll"].includes(getComputedStyle(at).overflowX)) return false;
    return box.right > innerWidth + 1;
  });
  return wide.map((one) => one.outerHTML.slice(0, 120));
}"""
"""What of the page lies beyond its right edge, and in no frame that can be scrolled there."""


@pytest.mark.parametrize(
    ("login", "addresses"),
    [
        ("wren", ("/", "/policies", "/policies/0", "/people", "/security", "/retention", "/methods?find=auc", "/you")),
        ("iris", ("/", "/inbox", "/models", "/record", "/search", "/policies/overrides", "/policies/templates")),
        ("nell", ("/", "/submit", "/models", "/inbox")),
    ],
)
def test_pages_at_twice_their_size(open_as: Open, login: str, addresses: tuple[str, ...]) -> None:
    page = open_as(login)
    page.set_viewport_size(_TWICE)
    faults: dict[str, list[str]] = {}
    for address in addresses:
        page.goto(address)
        expect(page.get_by_role("heading", level=1).first).to_be_visible()
        page.wait_for_load_state("networkidle")
        found = page.evaluate(_CUT_OFF)
        for scheme in ("light", "dark"):
            page.emulate_media(color_scheme=scheme)
            found += [f"{scheme}: {one}" for one in serious(page)]
        if found:
            faults[address] = found
    assert faults == {}
