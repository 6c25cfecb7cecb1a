"""Years of an approval in the browser, by a clock that is passed in: told beforehand, lapsed, reviewed again."""

import re
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from typing import Any

from playwright.sync_api import Browser, Page, expect

from brookfall.demo.seed import PASSWORD
from brookfall.records.config import today
from tests.conftest import PROJECT, until
from tests.e2e.conftest import Open
from tests.e2e.test_approvals import approved, ran, signed

NAME = "Years of it"


@contextmanager
def house_after(days: int, browser: Browser) -> Iterator[Open]:
    """Opens pages of the same house as they are so many days from now; whoever opens one signs in."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    # A program of its own, with whatever is installed beside it, as the workers are.
    server = subprocess.Popen([sys.executable, "-m", "tests.e2e.web_at", str(days), str(port)], cwd=PROJECT)
    contexts: list[Any] = []

    def open_as(login: str) -> Page:
        context = browser.new_context(base_url=f"http://127.0.0.1:{port}", reduced_motion="reduce")
        contexts.append(context)
        page = context.new_page()
        page.goto("/")
        page.get_by_label("Name to sign in with").fill(login)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("button", name="Sign out").wait_for()
        return page

    try:
        assert until(lambda: is_up(port), 60)
        yield open_as
    finally:
        for context in contexts:
            context.close()
        server.kill()
        server.wait()


def is_up(port: int) -> bool:
    with socket.socket() as tried:
        return tried.connect_ex(("127.0.0.1", port)) == 0


def test_an_approval_is_told_of_lapses_and_is_given_again(open_as: Open, browser: Browser) -> None:
    approved(open_as, NAME)
    due = today() + timedelta(days=9)

    with house_after(3, browser) as then:
        nell, iris = then("nell"), then("iris")
        nell.goto("/models/years-of-it")
        expect(nell.get_by_text("Version 1.0 is today conditional")).to_be_visible()
        iris.goto("/inbox")
        told = iris.get_by_role("row").filter(has_text=f"{NAME} 1.0")
        expect(told).to_contain_text(f"is conditional: condition 1 is due on {due:%-d %b %Y}")

    with house_after(10, browser) as then:
        nell, iris = then("nell"), then("iris")
        nell.goto("/inbox")
        lapsed = nell.get_by_role("row").filter(has_text=f"{NAME} 1.0").filter(has_text="has lapsed")
        lapsed.get_by_role("link", name=re.compile("^Open the model")).click()
        expect(nell.get_by_text(re.compile("Version 1.0 is today lapsed: condition 1"))).to_be_visible()
        nell.get_by_text("Review a version again").click()
        form = nell.get_by_role("form", name="Review a version again")
        form.get_by_label("Why it is reviewed again").fill("The rows of the winter are there now.")
        form.get_by_role("button", name="Open a re-review").click()
        expect(nell.get_by_role("region", name="Carried over")).to_contain_text("Collect the rows of a winter.")

        page = iris
        page.goto(nell.url.replace("/brief", "/plan"))
        page.get_by_role("button", name="Take this case").click()
        expect(page.get_by_role("button", name="Take this case")).to_have_count(0)
        ran(page)
        signed(then, page)
        nell.goto("/models/years-of-it")
        expect(nell.get_by_text("Version 1.0 is today in force: approved until")).to_be_visible()

    # A third tier's approval is for three years.
    with house_after(10 + 3 * 366, browser) as then:
        nell = then("nell")
        nell.goto("/models/years-of-it")
        expect(nell.get_by_text(re.compile("Version 1.0 is today lapsed"))).to_be_visible()
        expect(nell.get_by_role("list", name="Time line")).to_contain_text("submitted")
