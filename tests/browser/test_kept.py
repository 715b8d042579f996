"""Nothing lost, nowhere stuck: a session that ends, Back, lists that keep how they are read."""

import re

import pytest
from playwright.sync_api import expect
from running_demo import sign_in


def test_a_session_that_ends_takes_nothing_away(page, demo):
    """What is typed stays; one signs in, here by a link in another window, and goes on."""
    page.goto(f"{demo['base']}/lanternfall/entries/7")
    why = page.get_by_label("Why, and what it costs elsewhere")
    why.fill("The glow is worth it.")
    page.context.clear_cookies(name="sessionid")
    page.get_by_role("button", name="Keep", exact=True).click()
    dialog = page.get_by_role("dialog", name="You are signed out")
    expect(dialog).to_be_visible()
    dialog.get_by_label("Name").fill("mira")
    dialog.get_by_label("Password").fill("guess")
    dialog.get_by_role("button", name="Sign in").click()
    expect(dialog.get_by_role("alert")).to_be_visible()
    expect(why).to_have_value("The glow is worth it.")


def test_back_finds_the_list_as_it_was_left(page, demo):
    page.goto(f"{demo['base']}/lanternfall/runs")
    page.get_by_label("Outcome").select_option("complete")
    page.get_by_role("button", name="Mean ms").click()
    expect(page).to_have_url(re.compile("outcome=complete&ordering=mean_ms"))
    rows = page.get_by_role("table", name="Runs").locator("tbody tr[data-index]")
    asked = f"{demo['base']}/api/runs/?book=lanternfall&outcome=complete&ordering=mean_ms"
    least = page.request.get(asked).json()["results"][0]["mean_ms"]
    expect(rows.first.locator("td").nth(7)).to_have_text(f"{least:.2f}")
    means = [float(row.locator("td").nth(7).inner_text()) for row in rows.all()[:8]]
    assert means == sorted(means)
    rows.nth(2).get_by_role("checkbox").check()
    page.get_by_role("main").evaluate("e => { e.scrollTop = 2000; }")
    # Rows come into view as they are needed; those out of view are not drawn.
    expect(rows.first).not_to_have_attribute("data-index", "0")
    link = rows.nth(16).get_by_role("link")
    left = link.get_attribute("href")
    link.click()
    expect(page).to_have_url(re.compile(re.escape(left)))
    expect(page.get_by_role("heading", level=1)).not_to_have_text("Runs")
    page.go_back()
    expect(page.get_by_role("status").first).to_have_text("1 ticked")
    expect(page.locator(f'a[href="{left}"]')).to_be_in_viewport()
    expect(page.get_by_label("Outcome")).to_have_value("complete")
    # Another visit begins at the top, with nothing ticked.
    page.goto(f"{demo['base']}/lanternfall/runs")
    expect(page.get_by_role("status").first).to_contain_text("Tick runs to make an arm")
    expect(page.get_by_role("main")).to_have_js_property("scrollTop", 0)


def test_what_is_chosen_on_a_page_leaves_it_where_it_stands(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/3/course")
    main, figure = page.get_by_role("main"), page.get_by_label("Figure of the legs")
    page.get_by_role("table", name="Legs").scroll_into_view_if_needed()
    figure.scroll_into_view_if_needed()
    stood = main.evaluate("e => e.scrollTop")
    assert stood > 100
    figure.select_option("Median")
    expect(page).to_have_url(re.compile("figure=p50_ms"))
    expect(main).to_have_js_property("scrollTop", stood)


@pytest.mark.usefixtures("ledger")
def test_the_ledger_is_read_by_line_by_verdict_and_in_an_order(page, demo):
    rows = page.get_by_role("table", name="Entries").locator("tbody tr[data-link]")
    page.get_by_label("Verdict").select_option("gain")
    page.get_by_role("button", name="No.").click()
    numbers = rows.locator("td:first-child")
    expect(numbers.first).to_have_text("1")
    assert [int(n) for n in numbers.all_inner_texts()] == sorted(int(n) for n in numbers.all_inner_texts())
    assert set(page.get_by_role("table", name="Entries").locator("td > [data-verdict]").all_inner_texts()) == {"Gain"}
    page.get_by_label("Line of the book").select_option("all")
    expect(rows.first).to_contain_text(re.compile(r"River course \d+ on thin laptop"))
    page.reload()
    expect(page.get_by_label("Verdict")).to_have_value("gain")
    page.get_by_role("button", name="as at first").click()
    expect(rows.first.locator("td").first).not_to_have_text("1")


@pytest.mark.usefixtures("ledger")
def test_an_amount_that_is_not_shown_is_not_credited(page, demo):
    page.get_by_label("Find an entry").fill("Sparks from")  # rows further down are drawn as they come into view
    undecided = page.get_by_role("row").filter(has_text="Sparks from a table")
    expect(undecided).to_contain_text(re.compile(r"\(0\.\d+\)"))
    expect(undecided).to_contain_text(re.compile(r"0\.\d\d saved to 0\.\d\d spent"))


def test_another_book_is_a_choice_away_and_signing_out_leaves_nothing_behind(visitor, demo):
    page = visitor
    sign_in(page, demo["link"])  # of its own: it ends
    expect(page.get_by_role("heading", name="Entries")).to_be_visible()
    page.route("**/api/session/", lambda route: route.fulfill(json={
        "user": "Mira Quill",
        "books": [{"slug": "lanternfall", "name": "Lanternfall", "role": "owner"},
                  {"slug": "elsewhere", "name": "Elsewhere", "role": "reader"}],
    }) if route.request.method == "GET" else route.continue_())  # fmt: skip
    page.reload()
    page.get_by_label("Another book").select_option("Elsewhere")
    expect(page).to_have_url(f"{demo['base']}/elsewhere")
    expect(page.get_by_text("There is nothing at this address")).to_be_visible()
    page.unroute("**/api/session/")
    page.get_by_role("button", name="sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    assert page.request.get(f"{demo['base']}/api/session/").status == 401


def test_words_are_corrected_and_the_old_ones_can_be_read(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/4")
    page.get_by_role("button", name="correct the words").click()
    page.get_by_label("What changes").fill("Draw the awnings front to back")
    page.get_by_role("button", name="Correct it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Draw the awnings front to back")
    page.get_by_role("button", name="corrected once").click()
    expect(page.get_by_role("dialog")).to_contain_text("Mira Quill: Draw awnings front to back.")
    page.get_by_label("What changes").fill("Draw awnings front to back")
    page.get_by_role("button", name="Correct it").click()
    expect(page.get_by_role("button", name="corrected 2 times")).to_be_visible()
    expect(page.get_by_role("heading", level=1)).to_have_text("Draw awnings front to back")


@pytest.mark.usefixtures("ledger")
def test_a_page_whose_code_does_not_come_is_fetched_once_more_and_then_says_so(page, demo):
    asked = []

    def cut(route):
        asked.append(route.request.url)
        if len(asked) == 1:
            route.abort()
        else:
            route.continue_()

    page.route("**/assets/BookPage-*.js", cut)
    page.get_by_role("link", name="The book").click()
    expect(page.get_by_role("table", name="Members")).to_be_visible()
    assert len(asked) == 2
    page.route("**/assets/ScenariosPage-*.js", lambda route: route.abort())
    page.get_by_role("link", name="Scenarios").click()
    expect(page.get_by_role("alert")).to_contain_text("This page could not be fetched")
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_role("heading", name="Entries")).to_be_visible()
