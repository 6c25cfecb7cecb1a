"""The real pages in headless Chromium, against the tests' own server, database and workers."""

from collections.abc import Callable, Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from brookfall.demo.seed import PASSWORD, seed
from brookfall.launch.house import House

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]

# No test of speed: the workers may hold both cores meanwhile.
expect.set_options(timeout=20_000)

Open = Callable[[str], Page]


def without(page: Page, *checks: str) -> None:
    """Takes checks that fit by the hundred out of the plan on the page; tests of the core have them."""
    for check in checks:
        with page.expect_response(lambda answer: answer.request.method == "PUT" and answer.url.endswith("/plan")):
            page.get_by_label(f"Run {check}", exact=True).click()
        expect(page.get_by_label(f"Run {check}", exact=True)).not_to_be_checked()
        expect(page.get_by_label(f"Run {check}", exact=True)).to_be_enabled()


@pytest.fixture(scope="session")
def site(workers: House) -> str:
    seed()
    workers.start_web()
    return workers.address


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def open_as(site: str, browser: Browser) -> Iterator[Open]:
    """Opens a page signed in as one of the demo's people; any fault in the page's console fails the test."""
    faults: list[str] = []
    contexts: list[Any] = []

    def watch(message: Any) -> None:
        # The browser itself notes every answer that is no success; those are asserted on in the page.
        if message.type == "error" and "Failed to load resource" not in message.text:
            faults.append(message.text)

    def sign_in(login: str) -> Page:
        context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=site)
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(30_000)
        page.set_default_navigation_timeout(90_000)
        page.on("console", watch)
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.goto("/")
        page.get_by_label("Name to sign in with").fill(login)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("button", name="Sign out").wait_for()
        return page

    yield sign_in
    for context in contexts:
        context.close()
    assert faults == []
