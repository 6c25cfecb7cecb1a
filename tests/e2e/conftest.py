"""The real pages in headless Chromium, against the tests' own server, database and workers."""

import os
import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cache
from typing import Any

import pytest
from playwright.sync_api import Browser, FilePayload, Page, ViewportSize, expect, sync_playwright

from brookfall.demo.people import known_to_provider
from brookfall.demo.seed import PASSWORD, seed
from brookfall.launch.house import House
from tests.conftest import files_of
from tests.core.test_package import zipped
from tests.plugin.install import install

BROWSER = "/usr/bin/chromium-headless-shell"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]

# No test of speed: the workers may hold both cores meanwhile.
expect.set_options(timeout=60_000)
_NAVIGATION_MS = 90_000

Open = Callable[[str], Page]


MANY_FITS = (
    *(
        "without_leaks",
        "labels",
        "luck",
        "stability",
        "shuffled",
        "complexity",
        "learning",
        "preparation",
        "optimism",
        "trees",
    ),
    *(
        "challengers",
        "coefficients",
        "assumptions",
        "influence",
        "shape",
        "sensitivity",
        "direct_use",
        "proxies",
        "leaving_out",
    ),
)
"""Checks that fit by the hundred, or read much of a fit; they have walks and tests of their own."""

_PUT_PLAN = """async ({base, checks, out}) => {
  for (let tries = 0; ; tries++) {
    const plan = await (await fetch(`${base}/plan`)).json();
    const kept = checks ?? plan.plan.checks.filter((check) => !out.includes(check));
    const token = document.cookie.match(/brookfall_csrf=([^;]*)/)[1];
    const body = JSON.stringify({revision: plan.revision, plan: {...plan.plan, checks: kept}});
    const headers = {"Content-Type": "application/json", "X-CSRF-Token": token};
    const {status} = await fetch(`${base}/plan`, {method: "PUT", headers, body});
    if (status !== 409 || tries === 9) return status;
  }
}"""
"""Again where the page's own last change of the plan came in between."""


def planned(page: Page, checks: list[str] | None = None, *, without: tuple[str, ...] = ()) -> None:
    """Puts these checks alone into the plan of the case on the page, or takes some out; then shows the plan."""
    base = re.sub(r"^.*(/cases/\d+).*$", r"/api\1", page.url)
    assert page.evaluate(_PUT_PLAN, {"base": base, "checks": checks, "out": list(without)}) == 200
    page.reload()
    page.get_by_role("button", name="Lock the plan and run").wait_for()


@pytest.fixture(scope="session")
def site(stores: House, tmp_path_factory: pytest.TempPathFactory) -> str:
    """A house with the demo's data, a provider of its own, and a package of others installed."""
    os.environ["PYTHONPATH"] = install(tmp_path_factory.mktemp("installed"))
    seed()
    house = replace(stores, signs_in_by=known_to_provider())
    house.start_provider()
    house.start_workers(2, apart=False)
    house.start_web()
    return house.address


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=BROWSER, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def sessions(site: str, browser: Browser) -> Callable[[str], Any]:
    """The cookies of one of the demo's people, who signs in by the form the first time."""

    @cache
    def sign_in(login: str) -> Any:
        context = browser.new_context(base_url=site)
        context.set_default_navigation_timeout(_NAVIGATION_MS)
        page = context.new_page()
        page.goto("/")
        page.get_by_label("Name to sign in with").fill(login)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("button", name="Sign out").wait_for()
        kept = context.storage_state()
        context.close()
        return {"cookies": kept["cookies"], "origins": []}

    return sign_in


@pytest.fixture
def open_as(site: str, browser: Browser, sessions: Callable[[str], Any]) -> Iterator[Open]:
    """Opens a page signed in as one of the demo's people, or as nobody for ``""``; any fault in the page's console fails the test."""
    faults: list[str] = []
    contexts: list[Any] = []

    def watch(message: Any) -> None:
        # The browser itself notes every answer that is no success; those are asserted on in the page.
        if message.type == "error" and "Failed to load resource" not in message.text:
            faults.append(message.text)

    def sign_in(login: str) -> Page:
        size: ViewportSize = {"width": 1280, "height": 800}
        known = sessions(login) if login else None
        context = browser.new_context(viewport=size, base_url=site, storage_state=known, reduced_motion="reduce")
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.set_default_navigation_timeout(_NAVIGATION_MS)
        page.on("console", watch)
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.goto("/")
        page.get_by_role("button", name="Sign out" if login else "Sign in").wait_for()
        return page

    yield sign_in
    for context in contexts:
        context.close()
    assert faults == []


def sent_and_taken(open_as: Open, files: dict[str, bytes]) -> Page:
    """A package sent by Nell as its owner and taken by Iris, at its brief."""
    nell = open_as("nell")
    nell.goto("/submit")
    nell.get_by_role("button", name="Send a package").click()
    package: FilePayload = {"name": "p.zip", "mimeType": "application/zip", "buffer": zipped(files)}
    nell.get_by_label("Package:").set_input_files(package)
    nell.get_by_role("button", name="Submit the package").click()
    nell.wait_for_url(re.compile("/brief"))
    page = open_as("iris")
    page.goto(nell.url)
    page.get_by_role("button", name="Take this case").click()
    page.get_by_role("button", name="Take this case").wait_for(state="detached")
    return page


def submitted(open_as: Open, name: str, version: str, csv: str, **changes: Any) -> Page:
    """A small model of tier 3, sent and taken, at its plan."""
    model = {"name": name, "version": version, "tier": 3, "outcome": "binary", "purpose": "p", "owner": "o"}
    page = sent_and_taken(open_as, files_of(csv=csv, model=model, **changes))
    page.goto(page.url.replace("/brief", "/plan"))
    page.get_by_role("button", name="Lock the plan and run").wait_for()
    return page
