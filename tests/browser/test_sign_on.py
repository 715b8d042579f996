"""Signing in with the account that the team has elsewhere, as a person does."""

import base64
import re
import time

from django_otp.oath import TOTP
from playwright.sync_api import expect


def test_a_group_gives_a_role_to_whoever_signs_in_with_the_teams_account(own, browser, demo):
    own.get_by_role("button", name="Give a group a role").click()
    own.get_by_label("Group", exact=True).fill("render")
    own.get_by_role("combobox", name="Role", exact=True).select_option("editor")
    own.get_by_role("button", name="Give it").click()
    expect(own.get_by_role("table", name="Groups")).to_contain_text("render")
    book = own.url.split("/")[-2]

    tomas = browser.new_context().new_page()
    tomas.goto(demo["base"])
    tomas.get_by_role("link", name="Sign in with the ferry account").click()
    tomas.get_by_role("link", name="nobody").click()
    expect(tomas.get_by_role("alert")).to_contain_text("chose not to be")
    tomas.get_by_role("link", name="Sign in with the ferry account").click()
    tomas.get_by_role("link", name="Tomas Reed").click()
    expect(tomas.get_by_role("complementary").get_by_text("Tomas Reed")).to_be_visible()
    tomas.goto(f"{demo['base']}/{book}")
    expect(tomas.get_by_role("button", name="New entry")).to_be_visible()
    tomas.context.close()

    own.reload()
    expect(own.get_by_role("table", name="Members")).to_contain_text("by group")
    own.get_by_label("take the role of render").click()
    own.get_by_role("button", name="Take it").click()
    expect(own.get_by_role("table", name="Groups")).to_have_count(0)


def test_whoever_is_signed_in_joins_the_teams_account_with_their_own(own, browser, demo):
    own.get_by_role("button", name="Add somebody").click()
    own.get_by_label("Signs in as").fill("wren.ferry")
    own.get_by_label("Somebody new").check()
    own.get_by_role("button", name="Add", exact=True).click()
    link = own.get_by_role("status").locator("code").inner_text()
    page = browser.new_context().new_page()
    page.goto(link)
    page.get_by_role("button", name="Sign in as").click()
    page.get_by_role("complementary").get_by_role("link", name="wren.ferry").click()
    page.get_by_role("link", name="Join the ferry account").click()
    page.get_by_role("link", name="Ada Wren").click()
    expect(page).to_have_url(re.compile("/you"))
    expect(page.get_by_text("The accounts are joined.")).to_be_visible()
    expect(page.get_by_text("You can sign in with the ferry account.")).to_be_visible()
    page.context.close()

    fresh = browser.new_context().new_page()
    fresh.goto(demo["base"])
    fresh.get_by_role("link", name="Sign in with the ferry account").click()
    fresh.get_by_role("link", name="Ada Wren").click()
    expect(fresh.get_by_role("complementary").get_by_text("wren.ferry")).to_be_visible()
    fresh.context.close()


def test_a_second_factor_is_set_and_asked_for(own, browser, demo):
    own.get_by_role("button", name="Add somebody").click()
    own.get_by_label("Signs in as").fill("lark")
    own.get_by_label("Somebody new").check()
    own.get_by_role("button", name="Add", exact=True).click()
    page = browser.new_context().new_page()
    page.goto(own.get_by_role("status").locator("code").inner_text())
    page.get_by_role("button", name="Sign in as").click()
    page.get_by_role("complementary").get_by_role("link", name="lark").click()
    expect(page.get_by_text("It goes with a password: set one first.")).to_be_visible()
    page.get_by_label("The new one", exact=True).fill("a lantern on the river")
    page.get_by_label("The new one again").fill("a lantern on the river")
    page.get_by_role("button", name="Set it").click()

    page.get_by_role("button", name="Set one").click()
    picture = page.get_by_role("img", name="the secret, as a picture for an app")
    expect(picture).to_be_visible()
    assert picture.evaluate("it => it.naturalWidth") > 100  # let in by the content policy
    secret = page.locator("code").filter(has_text=re.compile("^[A-Z2-7]{32}$")).inner_text()
    page.get_by_label("The code it shows").fill(code_of(secret))
    page.get_by_role("button", name="Confirm it").click()
    written = page.get_by_role("status").locator("code").inner_text().split()
    assert len(written) == 8
    expect(page.get_by_role("button", name="Take it off")).to_be_visible()
    page.context.close()

    fresh = browser.new_context().new_page()
    fresh.goto(demo["base"])
    fresh.get_by_label("Name").fill("lark")
    fresh.get_by_label("Password").fill("a lantern on the river")
    fresh.get_by_role("button", name="Sign in", exact=True).click()
    expect(fresh.get_by_role("alert")).to_contain_text("code of the second factor")
    fresh.get_by_label("Code of the second factor").fill(written[0])
    fresh.get_by_role("button", name="Sign in", exact=True).click()
    fresh.get_by_role("complementary").get_by_role("link", name="lark").click()
    fresh.get_by_role("button", name="Take it off").click()
    fresh.get_by_label("A code of it").fill(written[1])
    fresh.get_by_role("button", name="Take it off").click()
    expect(fresh.get_by_role("button", name="Set one")).to_be_visible()
    fresh.context.close()


def code_of(secret):
    """What an app shows that knows the secret."""
    app = TOTP(base64.b32decode(secret))
    app.time = time.time()
    return f"{app.token():06d}"
