"""One demo for all browser tests, driven in Debian's headless Chromium."""

import os
import threading
import time
from pathlib import Path

import pytest
from playwright.sync_api import expect, sync_playwright
from running_demo import CHROMIUM, CHROMIUM_ARGUMENTS, load, running, sign_in

from browser.driving import RUN_S, posted
from vigilant.subjects import accounts

# A condition is waited for as long as a busy machine may need; a page that works is there at once.
PATIENCE_MS = 60_000
expect.set_options(timeout=PATIENCE_MS)


def pytest_collection_modifyitems(items):
    """What waits for the machine to itself comes last, so that nothing else waits with it."""
    items.sort(key=lambda item: "alone" in getattr(item, "fixturenames", ()))


@pytest.fixture(scope="session")
def alone():
    """What is recorded has the machine to itself: other tests that run beside are waited for (script/test)."""
    sign = os.environ.get("VIGILANT_TESTS_ALONE")
    while sign and not Path(sign).exists():
        time.sleep(0.5)


@pytest.fixture(scope="session")
def demo(tmp_path_factory):
    """The sign-in link of a running demo, its folder and its address; people can sign in there with accounts of a stand-in too."""
    var = tmp_path_factory.mktemp("demo") / "var"
    load(var)
    accounts_server, provider = accounts.serve()
    threading.Thread(target=accounts_server.serve_forever, daemon=True).start()
    signs_on = {
        "ISSUER": provider.issuer,
        "CLIENT": accounts.CLIENT,
        "SECRET": accounts.SECRET,
        "NAME": "the ferry account",
    }
    os.environ.update({f"VIGILANT_SIGN_ON_{name}": value for name, value in signs_on.items()})
    try:
        with running(var) as link:
            yield {"link": link, "var": var, "base": link.split("/sign-in/")[0]}
    finally:
        for name in signs_on:
            del os.environ[f"VIGILANT_SIGN_ON_{name}"]
        accounts_server.shutdown()


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
        yield made
        made.close()


@pytest.fixture
def visitor(browser):
    """A fresh page at the design size; ``errors`` and ``requests`` gather what happens on it."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.errors, page.requests = [], []
    page.on("pageerror", lambda error: page.errors.append(str(error)))
    page.on("request", lambda request: page.requests.append(request.url))
    yield page
    context.close()
    assert page.errors == []


@pytest.fixture(scope="session")
def signed_in(browser, demo):
    """The cookies of somebody who signed in through the link: once for all, the way in has tests of its own."""
    context = browser.new_context()
    page = context.new_page()
    sign_in(page, demo["link"])
    page.get_by_role("heading", name="Entries").wait_for()
    cookies = context.cookies()
    context.close()
    return cookies


@pytest.fixture
def page(visitor, signed_in):
    """Signed in, and not yet anywhere: most tests go to a page of their own."""
    visitor.context.add_cookies(signed_in)
    return visitor


@pytest.fixture
def ledger(page, demo):
    """Signed in, on the ledger."""
    page.goto(f"{demo['base']}/lanternfall")
    page.get_by_role("heading", name="Entries").wait_for()
    return page


@pytest.fixture
def own(page, demo):
    """A book of one's own, on its page, so that what is done in it changes no other test's."""
    made = posted(page, f"{demo['base']}/api/books/", {"name": "Still Water"})
    page.goto(f"{demo['base']}/{made['slug']}/book")
    return page


@pytest.fixture
def scenario(alone, page, demo):
    """A short course, written through the form unless it is there."""
    page.goto(f"{demo['base']}/lanternfall/scenarios")
    expect(page.get_by_role("heading", name="Scenarios")).to_be_visible()
    expect(page.get_by_role("link", name="River course", exact=True)).to_be_visible()
    if page.get_by_role("link", name="Short course", exact=True).count() == 0:
        page.get_by_role("button", name="Write a scenario").click()
        page.get_by_label("Name").fill("Short course")
        page.get_by_label("Target").fill("120")
        page.get_by_label("Seconds a run").fill(str(RUN_S))
        page.get_by_label("Witnesses").fill("boats")
        page.get_by_role("button", name="Keep the scenario").click()
    else:
        page.get_by_role("link", name="Short course", exact=True).click()
    expect(page.get_by_role("heading", name="Versions")).to_be_visible()
    return page
