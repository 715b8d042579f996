"""A page recorded in a visitor's own browser: from another origin, with nothing but a link."""

import re
import threading

import pytest
from playwright.sync_api import expect

from browser.driving import LONG_MS
from vigilant.subjects.lanternfall_page.__main__ import server


@pytest.fixture
def festival():
    """Lanternfall, in the page, on an origin of its own."""
    with server(0) as serving:
        thread = threading.Thread(target=serving.serve_forever)
        thread.start()
        yield f"http://127.0.0.1:{serving.server_address[1]}/"
        serving.shutdown()
        thread.join()


def test_a_visitor_with_the_link_plays_every_run_and_the_bench_has_a_verdict(own, browser, festival):
    page = own
    page.get_by_role("link", name="Scenarios", exact=True).click()
    page.get_by_role("button", name="Write a scenario").click()
    page.get_by_label("Name").fill("Lanternfall, in the page")
    page.get_by_label("Target").fill("60")
    page.get_by_label("Seconds a run").fill("1.5")
    page.get_by_role("button", name="Keep the scenario").click()
    page.get_by_role("button", name="Plan a recording").click()
    page.get_by_label("What changes").fill("Neighbours by cell, in the page")
    page.get_by_label("Record on").select_option("visitor")
    for arm, glow in (("before", "layers"), ("after", "table")):
        page.get_by_label(f"Page of {arm}").fill(f"{festival}?lanterns=30&seed={{seed}}&glow={glow}#x")
    page.get_by_label("Runs an arm").fill("2")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_text("without a # part").first).to_be_visible()
    for arm, glow in (("before", "layers"), ("after", "table")):
        page.get_by_label(f"Page of {arm}").fill(f"{festival}?lanterns=30&seed={{seed}}&glow={glow}")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_text("Waiting for a visitor")).to_be_visible()
    expect(page.get_by_text(f"may deliver from {festival.rstrip('/')}")).to_be_visible()
    link = page.get_by_text(re.compile(r"^http\S+/visit/\S+$")).inner_text()

    context = browser.new_context(viewport={"width": 420, "height": 320})
    visitor = context.new_page()
    visitor.set_default_timeout(LONG_MS)
    asked = []
    visitor.on("request", lambda request: asked.append(request))
    code = link.rpartition("/")[2]
    visitor.goto(link.removesuffix(code))
    visitor.get_by_label("The code that the Bench shows").fill(code.replace("-", "").lower())
    visitor.get_by_role("button", name="Go on").click()
    visitor.get_by_role("button", name="Begin").click()
    visitor.wait_for_url(re.compile(f"^{re.escape(festival)}[^#]*$"))  # what the link asked is of this once
    expect(page.get_by_text(re.compile("^(Now playing|Delivered): run 1"))).to_be_visible(timeout=LONG_MS)
    expect(visitor.get_by_text("Thank you")).to_be_visible(timeout=LONG_MS)
    assert {request.headers.get("cookie") for request in asked} == {None}
    context.close()

    page.get_by_role("link", name=re.compile("Read the verdict in entry")).click(timeout=LONG_MS)
    expect(page.get_by_role("heading", name="Neighbours by cell, in the page")).to_be_visible()
    page.get_by_role("link", name="Runs", exact=True).first.click()
    page.get_by_role("row").nth(1).get_by_role("link").first.click()
    expect(page.get_by_text("a page in a visitor's browser").first).to_be_visible()
    for lane in ("animation callbacks", "rendering", "waiting"):
        expect(page.get_by_text(lane).first).to_be_visible()
