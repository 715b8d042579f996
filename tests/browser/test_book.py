"""A book's own affairs on its screens: members, tokens, sessions; entries withdrawn, runs set aside, both purged."""

import re
from datetime import datetime, timedelta

import pytest
from playwright.sync_api import expect

WHY = "The wrong scene was loaded."


def test_a_book_is_opened_and_gets_a_name_members_and_tokens(ledger, browser, demo):
    own = ledger
    own.get_by_label("Another book").select_option("a new book …")
    own.get_by_label("Name of the program under test").fill("Still Water")
    own.get_by_role("button", name="Open the book").click()
    expect(own.get_by_text("The first entry")).to_be_visible()
    own.get_by_role("link", name="The book").click()
    own.get_by_role("button", name="Another name").click()
    own.get_by_label("Name of the book").fill("Still Waters")
    own.get_by_role("button", name="Rename").click()
    expect(own.get_by_role("complementary").get_by_text("Still Waters").first).to_be_visible()

    own.get_by_role("button", name="Add somebody").click()
    own.get_by_label("Signs in as").fill("wren")
    own.get_by_role("combobox", name="Role", exact=True).select_option("editor")
    own.get_by_role("button", name="Add", exact=True).click()
    expect(own.get_by_role("alert")).to_contain_text("Is it somebody new?")
    own.get_by_label("Somebody new").check()
    own.get_by_role("button", name="Add", exact=True).click()
    link = own.get_by_role("status").locator("code").inner_text()
    wren = browser.new_context().new_page()
    wren.goto(link)
    wren.get_by_role("button", name="Sign in as wren").click()
    expect(wren.get_by_role("button", name="New entry")).to_be_visible()
    # What one may not do is not offered.
    wren.get_by_role("link", name="The book").click()
    expect(wren.get_by_role("table", name="Members")).to_be_visible()
    expect(wren.get_by_role("heading", name="Recorders")).to_have_count(0)
    own.get_by_label("Role of wren").select_option("reader")
    expect(own.get_by_label("Role of wren")).to_have_value("reader")
    wren.goto(wren.url.removesuffix("/book"))
    expect(wren.get_by_role("heading", name="Entries")).to_be_visible()
    expect(wren.get_by_role("button", name="New entry")).to_have_count(0)
    wren.context.close()
    own.get_by_label("take out wren").click()
    own.get_by_role("button", name="Take them out").click()
    expect(own.get_by_label("Role of wren")).to_have_count(0)
    # Who comes back finds the book that was open last.
    own.goto(demo["base"])
    expect(own).to_have_url(re.compile(r"/still-water(-\d+)?$"))
    own.get_by_role("link", name="The book").click()
    own.get_by_label("Role of Mira Quill").select_option("reader")
    expect(own.get_by_role("alert")).to_contain_text("at least one owner")

    own.get_by_role("button", name="Issue a token").click()
    own.get_by_label("Recorder").fill("rack 2")
    own.get_by_role("button", name="Issue it").click()
    token = own.get_by_role("status").filter(has_text="VIGILANT_TOKEN").locator("code").inner_text()
    bearer = {"Authorization": f"Bearer {token}"}
    assert own.request.get(f"{demo['base']}/api/session/", headers=bearer).json()["user"] == "rack 2"
    own.get_by_label("revoke rack 2").click()
    own.get_by_role("button", name="Revoke it").click()
    expect(own.get_by_role("table", name="Tokens")).to_contain_text("revoked")
    assert own.request.get(f"{demo['base']}/api/session/", headers=bearer).status == 401
    # The log is looked through by what was done, to what and by whom.
    log = own.get_by_role("table", name="The log")
    expect(log).to_contain_text("role given: wren")
    own.get_by_role("textbox", name="In what was done, to what and by whom").fill("TOKEN")
    expect(log).not_to_contain_text("role given: wren")
    expect(log).to_contain_text("token revoked: rack 2")
    own.get_by_role("textbox", name="In what was done, to what and by whom").fill("nothing like this")
    expect(own.get_by_text("No line says that.")).to_be_visible()


def test_one_signs_out_elsewhere_and_sets_a_password(own, browser, demo):
    own.get_by_role("button", name="Add somebody").click()
    own.get_by_label("Signs in as").fill("heron")
    own.get_by_label("Somebody new").check()
    own.get_by_role("button", name="Add", exact=True).click()
    link = own.get_by_role("status").locator("code").inner_text()
    pages = []
    for _ in range(2):
        pages.append(browser.new_context().new_page())
        pages[-1].goto(link)
        pages[-1].get_by_role("button", name="Sign in as heron").click()
        expect(pages[-1].get_by_role("heading", name="Entries")).to_be_visible()
    here, there = pages
    here.get_by_role("link", name="heron").click()
    rows = here.get_by_role("table", name="Sessions").locator("tbody tr")
    expect(rows).to_have_count(2)
    here.get_by_role("button", name="sign out there").click()
    expect(rows).to_have_count(1)
    there.reload()
    expect(there.get_by_role("button", name="Sign in")).to_be_visible()
    chosen = here.get_by_label("The new one", exact=True)
    judged = here.get_by_role("status").filter(has_text="guess")
    chosen.fill("password1234")
    expect(judged).to_have_text(re.compile("at once|easily"))
    chosen.fill("reeds in the moonlight")
    expect(judged).to_have_text("very hard to guess")
    expect(chosen).to_have_attribute("type", "password")
    here.get_by_role("button", name="show it The new one", exact=True).click()
    expect(chosen).to_have_attribute("type", "text")
    here.get_by_label("The new one again").fill("reeds in the sunlight")
    expect(here.get_by_role("alert")).to_have_text("These two differ.")
    here.get_by_label("The new one again").fill("reeds in the moonlight")
    here.get_by_role("button", name="Set it").click()
    expect(here.get_by_role("status").filter(has_text="Your password is set")).to_be_visible()
    here.reload()
    happened = here.get_by_role("table", name="What happened to your account").locator("tbody tr")
    expect(happened.first).to_contain_text("password set")
    expect(happened.filter(has_text="signed in").first).to_contain_text("127.0.0.1")
    there.get_by_label("Name").fill("heron")
    there.get_by_label("Password").fill("reeds in the moonlight")
    there.get_by_role("button", name="Sign in").click()
    expect(there.get_by_role("heading", name="Entries")).to_be_visible()
    for page in pages:
        page.context.close()


def test_an_entry_is_withdrawn_and_put_back(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/9")
    page.get_by_role("button", name="withdraw").click()
    page.get_by_role("button", name="Withdraw it").click()
    expect(page.get_by_role("alert")).to_have_text("This is needed.")
    page.get_by_label("Why", exact=True).fill(WHY)
    page.get_by_role("button", name="Withdraw it").click()
    expect(page.get_by_role("note").filter(has_text="Withdrawn by Mira Quill")).to_contain_text(WHY)
    expect(page.get_by_role("heading", name="Decision")).to_have_count(0)
    page.get_by_role("link", name="Ledger").click()
    page.get_by_label("Withdrawn").select_option("withdrawn")
    rows = page.get_by_role("table", name="Entries").locator("tbody tr[data-link]")
    expect(rows).to_have_count(1)
    expect(rows.locator("s")).to_have_text("Reflections at half size")
    expect(rows).to_contain_text(re.compile(r"\(0\.\d\d\)"))
    rows.get_by_role("link").first.click()
    page.get_by_role("button", name="purge").click()
    expect(page.get_by_role("dialog").get_by_role("listitem").first).to_contain_text("Reflections at half size")
    page.get_by_role("button", name="Delete for good").click()
    expect(page.get_by_role("alert")).to_have_text("Write “entry 9”.")
    page.get_by_role("button", name="Leave").click()
    page.get_by_role("button", name="put it back").click()
    page.get_by_label("Why", exact=True).fill("It was the right one.")
    page.get_by_role("button", name="Put it back").last.click()
    expect(page.get_by_role("heading", name="Decision")).to_be_visible()


def test_runs_are_set_aside_and_taken_back_and_what_rests_on_them_says_so(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/2/runs")
    page.get_by_role("link", name=re.compile(r"^Run \d+, ")).click()
    page.get_by_role("button", name="set aside").click()
    page.get_by_label("Why").fill("Another program was running.")
    page.get_by_role("button", name="Set aside", exact=True).click()
    expect(page.get_by_role("status").filter(has_text="Set aside: Another program")).to_be_visible()
    page.go_back()
    note = page.get_by_role("note").filter(has_text="set aside since")
    expect(note).to_contain_text("Another program was running")
    expect(note.get_by_role("link", name="Without them, side by side")).to_be_visible()
    page.get_by_role("navigation", name="Sections").get_by_role("link", name="Runs").click()
    page.get_by_label("Set aside").select_option("set aside")
    rows = page.get_by_role("table", name="Runs").locator("tbody tr[data-index]")
    expect(rows).to_have_count(1)
    rows.get_by_role("checkbox").check()
    expect(page.get_by_role("button", name="Make an arm of them")).to_be_disabled()
    page.get_by_role("button", name="Purge").click()
    expect(page.get_by_role("alert")).to_contain_text("Entry 2 rests on them")
    expect(page.get_by_role("button", name="Delete for good")).to_be_disabled()
    page.get_by_role("button", name="Leave").click()
    page.get_by_role("button", name="Take them back").click()
    page.get_by_label("Why").fill("It was an update that had ended.")
    page.get_by_role("button", name="Take back", exact=True).click()
    expect(page.get_by_text("No run is like that")).to_be_visible()


@pytest.mark.usefixtures("ledger")
def test_a_rule_for_frames_says_what_it_would_take_and_asks(page):
    page.get_by_role("link", name="The book").click()
    section = page.locator("section").filter(has=page.get_by_role("heading", name="For how long frames are kept"))
    section.get_by_label("Frames of runs that no entry rests on go").select_option("after 90 days")
    expect(section.get_by_role("status")).to_have_text(re.compile(r"[\d,]+ frames of \d+ runs would go, [\d.]+ MiB"))
    expect(section.get_by_role("list", name="What is lost")).to_contain_text(
        "What came of 9 recordings that fill no entry"
    )
    section.get_by_role("button", name="Keep by this rule").click()
    page.get_by_role("button", name="No", exact=True).click()
    # One that takes nothing yet is kept, and undone.
    section.get_by_label("Frames of runs that no entry rests on go").select_option("never")
    section.get_by_label("Frames of runs that were set aside go").select_option("after a year")
    expect(section.get_by_role("status")).to_have_text("As the book is now, nothing would go.")
    section.get_by_role("button", name="Keep by this rule").click()
    page.get_by_role("button", name="Let them go").click()
    expect(section.get_by_role("button", name="Keep by this rule")).to_have_count(0)
    log = page.get_by_role("table", name="The log")
    expect(log).to_contain_text("rule of frames: frames of runs set aside go after 365 days")
    page.reload()
    expect(section.get_by_label("Frames of runs that were set aside go")).to_have_value("365")
    section.get_by_label("Frames of runs that were set aside go").select_option("never")
    section.get_by_role("button", name="Keep by this rule").click()
    page.get_by_role("button", name="Keep them").click()
    expect(log).to_contain_text("rule of frames: frames are kept")


@pytest.mark.usefixtures("ledger")
def test_the_rigs_page_names_the_one_that_slowed_down(page):
    page.get_by_role("link", name="Bench").click()
    page.get_by_role("link", name="All rigs").click()
    rigs = page.get_by_role("table", name="Rigs")
    slowed = rigs.get_by_role("row").filter(has_text=re.compile("^handheld"))
    expect(slowed).to_contain_text("slower: the calibration load takes 1.09 times as long as before")
    expect(slowed.get_by_role("img", name="Its timings")).to_be_visible()
    expect(rigs.get_by_role("row").filter(has_text=re.compile("^thin laptop"))).to_contain_text("steady")
    there = rigs.get_by_role("row").filter(has_text=re.compile("^workbench"))
    expect(there).to_contain_text("stands by")
    expect(there).to_contain_text("starts lanternfall")


@pytest.mark.usefixtures("ledger")
def test_a_rig_is_reserved_and_given_back(page):
    page.get_by_role("link", name="Bench").click()
    page.get_by_role("link", name="All rigs").click()

    def reserve(what):
        page.get_by_role("button", name="Reserve a rig").click()
        form = page.get_by_role("dialog", name="Reserve a rig")
        form.get_by_role("combobox", name="Rig").select_option("handheld")
        begins = datetime.now() + timedelta(days=20)
        form.get_by_label("From").fill(begins.strftime("%Y-%m-%dT09:30"))
        form.get_by_label("Until").fill(begins.strftime("%Y-%m-%dT09:00"))
        form.get_by_label("What for").fill(what)
        form.get_by_role("button", name="Reserve it").click()
        expect(form.get_by_role("alert")).to_have_text("It ends after it begins.")
        form.get_by_label("Until").fill(begins.strftime("%Y-%m-%dT11:00"))
        form.get_by_role("button", name="Reserve it").click()
        return form

    expect(reserve("timing the new fans")).to_have_count(0)
    row = page.get_by_role("table", name="Rigs").get_by_role("row").filter(has_text=re.compile("^handheld"))
    expect(row).to_contain_text(re.compile("yours .*, 09:30 to 11:00: timing the new fans"))
    page.reload()
    expect(row).to_contain_text("timing the new fans")
    again = reserve("once more")
    expect(again.get_by_role("alert")).to_contain_text("handheld is ")
    again.get_by_role("button", name="Leave").click()
    row.get_by_role("button", name=re.compile("give it back: handheld, .*, 09:30 to 11:00")).click()
    page.get_by_role("button", name="Give it back").click()
    expect(row).not_to_contain_text("timing the new fans")
