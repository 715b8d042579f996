"""Forms: faults beside their fields, drafts that survive leaving, a question before it, nothing sent twice."""

import re

import pytest
from playwright.sync_api import expect


def plan(page, demo, asked=""):
    page.goto(f"{demo['base']}/lanternfall/bench/plan{asked}")
    expect(page.get_by_role("heading", name="Arms", exact=True)).to_be_visible()


def test_what_is_wrong_stands_beside_its_field_as_one_types_and_takes_the_focus(page, demo):
    plan(page, demo)
    runs = page.get_by_label("Runs an arm")
    runs.fill("0")
    fault = page.get_by_role("alert")
    expect(fault).to_have_text("At least 1.")
    expect(runs).to_have_attribute("aria-describedby", fault.get_attribute("id"))
    runs.fill("2.5")
    expect(fault).to_have_text("A whole number is wanted.")
    runs.fill("5")
    expect(fault).to_have_count(0)
    page.get_by_role("button", name=re.compile("Start recording|Plan it")).click()
    expect(fault).to_have_text(["This is needed."] * 3)
    expect(page.get_by_label("What changes")).to_be_focused()


def test_what_the_server_refuses_stands_at_its_field(page, demo):
    page.goto(f"{demo['base']}/lanternfall/scenarios/write")
    page.get_by_label("Name").fill("A course")
    page.get_by_label("Seconds a run").fill("0")
    page.get_by_role("button", name="another leg").click()
    page.get_by_label("Leg 1", exact=True).fill("x" * 101)
    page.get_by_role("button", name="Keep the scenario").click()
    expect(page.get_by_role("alert").filter(has_text="legs 1 name has 101 characters")).to_be_visible()
    expect(page.get_by_label("Seconds a run")).to_have_attribute("aria-invalid", "true")
    expect(page.get_by_label("Leg 1", exact=True)).to_have_attribute("aria-invalid", "true")


def test_leaving_asks_and_a_draft_is_taken_up_or_thrown_away(page, demo):
    plan(page, demo)
    title = page.get_by_label("What changes")
    title.fill("Reeds, half of them")
    page.get_by_role("button", name="another arm").click()
    question = page.get_by_role("dialog", name="Something here is not sent")
    page.get_by_role("link", name="Runs").click()
    question.get_by_role("button", name="Stay here").click()
    expect(title).to_have_value("Reeds, half of them")
    page.get_by_role("link", name="Runs").click()
    question.get_by_role("button", name="Keep the draft").click()
    expect(page.get_by_role("heading", name="Runs")).to_be_visible()
    plan(page, demo)
    expect(title).to_have_value("Reeds, half of them")
    expect(page.get_by_label("Build of after 2")).to_be_visible()
    expect(page.get_by_text("As you left it on")).to_be_visible()
    page.get_by_role("button", name="Begin anew").click()
    expect(title).to_have_value("")
    expect(page.get_by_label("Build of after 2")).to_have_count(0)
    title.fill("Another")
    page.get_by_role("link", name="Ledger").click()
    question.get_by_role("button", name="Throw it away").click()
    plan(page, demo)
    expect(title).to_have_value("")
    # Another person in this browser finds none of it.
    title.fill("Mine alone")
    page.evaluate("localStorage.setItem('draft owner', 'somebody else')")
    plan(page, demo)
    expect(title).to_have_value("")
    # What is as it was is left without a word.
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_role("heading", name="Entries")).to_be_visible()


@pytest.mark.usefixtures("ledger")
def test_a_dialog_with_something_in_it_asks_too(page):
    page.keyboard.press("n")
    page.get_by_label("Why it should help").fill("Fewer draws.")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Keep the draft").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("n")
    expect(page.get_by_label("Why it should help")).to_have_value("Fewer draws.")
    page.get_by_role("button", name="Begin anew").click()
    page.get_by_role("button", name="Leave").click()
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_an_answer_that_got_lost_is_given_again_and_nothing_is_done_twice(own, demo):
    """The server opens the entry, the answer is cut off; sent again it is the same entry."""
    page, sent = own, []
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_text("The first entry")).to_be_visible()
    entries = page.url.replace(demo["base"], f"{demo['base']}/api/books") + "/entries/"

    def cut(route):
        sent.append(route.request.headers["idempotency-key"])
        if len(sent) == 1:
            assert route.fetch().status == 201
            route.abort()
        else:
            route.continue_()

    page.route(entries, lambda r: cut(r) if r.request.method == "POST" else r.continue_())
    page.keyboard.press("n")
    page.get_by_label("What changes").fill("Opened once")
    page.get_by_role("button", name="Open the entry").click()
    expect(page.get_by_role("alert")).to_be_visible()
    page.get_by_role("button", name="Open the entry").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Opened once")
    assert len(sent) == 2
    assert sent[0] == sent[1]
    assert page.request.get(entries).json()["count"] == 1
    # What was sent is no draft any more.
    assert page.evaluate("Object.keys(localStorage).filter((key) => key.startsWith('draft'))") == ["draft owner"]


def test_a_plan_is_as_an_earlier_one_with_what_was_used_last(page, demo):
    base = demo["base"]
    recordings = page.request.get(f"{base}/api/books/lanternfall/recordings/").json()["results"]
    earlier = next(r for r in recordings if r["title"].startswith("Reflections at"))
    plan(page, demo)
    page.get_by_label("As an earlier plan").select_option(earlier["id"])
    expect(page.get_by_label("What changes")).to_have_value(earlier["title"])
    asked = page.request.get(f"{base}/api/recordings/{earlier['id']}/plan/").json()["plan"]
    for i, arm in enumerate(a for a in asked["arm"] if not a.get("empty")):
        label = "before" if i == 0 else "after" if i == 1 else f"after {i}"
        expect(page.get_by_label(f"Build of {label}", exact=True)).to_have_value(arm["name"])
    expect(page.get_by_label("Runs an arm")).to_have_value(str(asked["recording"]["runs"]))
    expect(page.get_by_text(re.compile(r"runs an arm on .* would show a change of .*in mean frame"))).to_be_visible()
