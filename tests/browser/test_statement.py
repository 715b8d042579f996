"""A page to hand out: of an entry, of several, of a goal; by a link to a stranger; to another trade."""

import re

import pytest
from playwright.sync_api import expect


@pytest.fixture
def sheet(page):
    """What the statement on the page shows."""
    return page.frame_locator("iframe")


def test_an_entrys_statement_is_read_and_taken_out(page, demo, sheet):
    page.goto(f"{demo['base']}/lanternfall/entries/3")
    page.get_by_role("link", name="statement", exact=True).click()
    expect(page).to_have_url(re.compile(r"statement\?entries=3$"))
    api = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/3/").json()
    expect(sheet.get_by_role("heading", name=api["title"])).to_be_visible()
    expect(sheet.get_by_text(api["result"]["sentence"])).to_be_visible()
    expect(sheet.locator("figure svg")).to_have_count(2)
    page.get_by_label("Paper").select_option("Letter")
    expect(page).to_have_url(re.compile("paper=letter"))
    for name, kind in (("PDF", "application/pdf"), ("Markdown", "text/markdown"), ("CSV", "text/csv")):
        address = page.get_by_role("link", name=name).get_attribute("href")
        assert page.request.get(demo["base"] + address).headers["content-type"].startswith(kind)
    page.get_by_label("Of the entries").fill("1-3")
    page.get_by_label("Of the entries").press("Enter")
    expect(sheet.get_by_role("heading", name="Entries 1 to 3")).to_be_visible()
    page.get_by_label("Of the entries").fill("900")
    page.get_by_role("button", name="Draw it up").click()
    expect(page.get_by_text("has no entry 900")).to_be_visible()


def test_a_goals_statement_is_found_beside_the_goal(page, demo, sheet):
    page.goto(f"{demo['base']}/lanternfall/scenarios/1")
    page.get_by_role("link", name="statement of Late frames: at most 1 %").click()
    expect(sheet.get_by_role("heading", name="Late frames: at most 1 %")).to_be_visible()


def test_a_decision_says_what_it_presupposes_on_the_statement_too(page, demo, sheet):
    page.goto(f"{demo['base']}/lanternfall/entries/7")
    expect(page.get_by_role("heading", name="Decision")).to_be_visible()
    decide = page.get_by_role("button", name="decide again")
    if decide.is_visible():
        decide.click()
    page.get_by_label("Only if").fill("the lanterns stay few")
    page.get_by_role("button", name="More runs").click()
    expect(page.get_by_role("note").get_by_text("Only if the lanterns stay few")).to_be_visible()
    page.get_by_role("link", name="statement", exact=True).click()
    expect(sheet.get_by_text("Only if the lanterns stay few")).to_be_visible()


def test_a_link_shows_the_statement_to_a_stranger_until_it_is_revoked(page, demo, browser):
    page.goto(f"{demo['base']}/lanternfall/statement?entries=1")
    page.get_by_role("link", name="Allow them").click()
    page.get_by_label("Links may show one statement each").click()
    expect(page.get_by_label("Links may show one statement each")).to_be_checked()
    page.go_back()
    page.get_by_role("button", name="Make a link").click()
    page.get_by_label("Good for days").fill("0")
    expect(page.get_by_text("At least 1.")).to_be_visible()
    page.get_by_label("Good for days").fill("2")
    page.get_by_role("button", name="Make it").click()
    address = page.get_by_role("status").locator("code").text_content()
    stranger = browser.new_context().new_page()
    stranger.goto(address)
    expect(stranger.get_by_role("heading", name="Find neighbour boats by river cell")).to_be_visible()
    page.get_by_role("button", name="revoke the link to").click()
    with page.expect_response(
        lambda response: "/statement/links/" in response.url and response.request.method != "GET"
    ):
        page.get_by_role("button", name="Revoke it").click()
    expect(page.get_by_role("button", name="revoke the link to")).to_have_count(0)
    assert stranger.goto(address).status == 404
    stranger.context.close()


def test_an_entry_is_handed_over_to_another_trade(page, demo, sheet):
    page.goto(f"{demo['base']}/lanternfall/statement?entries=6")
    page.get_by_role("button", name="Hand it over").click()
    page.get_by_role("button", name="Hand it over").last.click()
    expect(page.get_by_text("This is needed.").first).to_be_visible()
    page.get_by_label("To", exact=True).fill("rendering")
    page.get_by_label("What is asked").fill("Can the grid be finer near the boats alone?")
    page.get_by_label("What has been ruled out").fill("The rain.")
    page.get_by_role("dialog").get_by_role("button", name="Hand it over").click()
    page.get_by_role("link", name="to rendering").click()
    for said in ("To rendering", "Can the grid be finer", "The rain."):
        expect(sheet.get_by_text(said)).to_be_visible()


def test_an_accounts_statement_is_drawn_up_from_its_page(page, demo):
    page.goto(f"{demo['base']}/lanternfall/bench")
    page.get_by_role("row").filter(has_text="How many boats does the laptop carry?").get_by_role(
        "link", name="account"
    ).click()
    said = page.get_by_test_id("sentence").inner_text()
    page.get_by_role("article").get_by_role("link", name="Statement").click()
    drawn = page.frame_locator("iframe")
    expect(drawn.get_by_role("heading", level=1)).to_have_text("How many boats does the laptop carry?")
    expect(drawn.get_by_text(said)).to_be_visible()
    expect(page.get_by_role("link", name="PDF")).to_have_attribute("href", re.compile(r"account=[0-9a-f-]{36}.*as=pdf"))
