"""The field as one walks it: from where minutes are lost to the class, its move and the devices to borrow; and a page that sends from elsewhere."""

import re
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from threading import Thread
from urllib.parse import parse_qs, urlsplit

import pytest
from playwright.sync_api import expect

SENDER = Path(__file__).parents[2] / "emitters" / "js" / "vigilant_field.js"


class Quiet(SimpleHTTPRequestHandler):
    def log_message(self, *args):
        pass


def opened(page, demo, leaf=""):
    page.goto(f"{demo['base']}/lanternfall/field{leaf}")
    expect(page.get_by_role("heading", level=1)).to_have_text("Field")


def row(page, table, name):
    return page.get_by_role("table", name=table).get_by_role("row").filter(has_text=name).first


@pytest.mark.usefixtures("ledger")
def test_from_lost_minutes_to_the_class_and_its_places(page, demo):
    page.get_by_role("link", name="Field", exact=True).click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(r"^In river 41 handheld and old laptop are over 2 % late")
    )
    first = page.get_by_role("table", name="Classes of devices").get_by_role("row").nth(1)
    expect(first).to_contain_text("handheld")
    expect(first).to_contain_text("the graphics, in 8")
    expect(first.get_by_role("img", name=re.compile("late .*, over the goal"))).to_be_visible()
    expect(page.get_by_text(re.compile(r"more classes with \d+ sessions, too few to show"))).to_be_visible()
    expect(page.get_by_text(re.compile("^festival crowd nothing shown in the same place"))).to_be_visible()
    expect(page.get_by_text(re.compile("^charger out goes with more lateness"))).to_be_visible()
    # Against the build before: worse in total, alike class by class; it stands in the address.
    page.get_by_label("Held against").select_option("against river 40")
    expect(
        page.get_by_text("In total more is late; class by class it is alike: other devices play it now.")
    ).to_be_visible()
    page.reload()
    expect(page.get_by_text("this is no verdict: the bench gives one", exact=False)).to_be_visible()
    # One place alone, and back.
    before = first.inner_text()
    page.get_by_label("Place").select_option("fireworks")
    expect(first).not_to_have_text(before)
    page.get_by_label("Place").select_option("all places")
    with page.expect_download() as taken:
        page.get_by_role("link", name="CSV", exact=True).click()
    assert taken.value.path().read_text().startswith("class,sessions,")
    first.get_by_role("link", name="handheld").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("handheld")
    expect(row(page, "Places and tiers", "fireworks")).to_contain_text("2 full lanterns")
    expect(row(page, "Frame time", "99th percentile")).to_contain_text("ms")
    expect(row(page, "Models", "Reed 2")).to_be_visible()
    # What the field shows leads on to the bench: a scenario of the place, and a plan at the tier.
    row(page, "Places and tiers", "fireworks").get_by_role("link", name="reproduce this").click()
    expect(page.get_by_label("Name", exact=True)).to_have_value("handheld: fireworks")
    expect(page.get_by_label("Target")).to_have_value("60")
    expect(page.get_by_label("Leg 1", exact=True)).to_have_value("fireworks")
    then = parse_qs(urlsplit(page.url).query)["then"][0]
    assert parse_qs(then)["rig"] == ["handheld"]
    page.goto(f"{demo['base']}/lanternfall/bench/plan?scenario=River%20course&{then}")
    expect(page.get_by_label("What changes")).to_have_value("handheld at fireworks, 2 full lanterns: as in the field")
    expect(page.get_by_label("Conditions")).to_have_value(
        re.compile("^tier = 2 full lanterns\n(.*\n)?lanterns = 320", re.MULTILINE)
    )
    # Nobody stands by on that rig: it is said, and the plan goes to no other; on one that does, it is chosen.
    expect(page.get_by_label("Record on")).to_have_value("elsewhere")
    expect(page.get_by_text("It was met on handheld: no recorder of that name stands by.")).to_be_visible()
    page.goto(f"{demo['base']}/lanternfall/bench/plan?scenario=River%20course&rig=workbench")
    expect(page.get_by_label("Record on")).to_have_value("workbench")
    expect(page.get_by_text("It was met on")).to_have_count(0)


def test_a_class_is_moved_for_a_reason_and_leaves_turn_by_keys(page, demo):
    opened(page, demo)
    page.keyboard.press(".")
    expect(page).to_have_url(re.compile("/field/moves"))
    expect(page.get_by_test_id("sentence")).to_contain_text("handheld down")
    handheld = row(page, "Moves", "handheld")
    expect(handheld).to_contain_text("its own work times, scaled by models seen at both")
    expect(row(page, "Moves", "tall desk")).to_contain_text("held at the refresh")
    expect(row(page, "Every tier", "old laptop")).to_contain_text(
        re.compile(r"seen there, \d+ % of its play.*scaled by models")
    )
    handheld.get_by_role("button", name="Decide about handheld").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("It is put on")).to_have_value("1")
    dialog.get_by_role("button", name="Keep it so").click()
    expect(dialog.get_by_role("alert")).to_be_visible()  # a reason is wanted
    dialog.get_by_label("Why").fill("Its graphics are too small for all of them.")
    dialog.get_by_role("button", name="Keep it so").click()
    expect(handheld).to_contain_text("Moved to level 1 by Mira Quill")
    expect(page.get_by_test_id("sentence")).to_have_text("No class is to be moved to another tier.")
    page.keyboard.press(".")
    expect(page).to_have_url(re.compile("/field/borrow"))
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile(r"^These \w+ hold 6\d % of what is late beyond 2 %\.$")
    )
    first = page.get_by_role("table", name="Devices to borrow").get_by_role("row").nth(1)
    named = first.get_by_role("link", name=re.compile("Alder|Reed"))
    name = named.inner_text()
    named.click()
    expect(page.get_by_role("heading", level=1)).to_have_text(name)
    expect(page.get_by_role("table", name="Places and tiers")).to_contain_text("fireworks")


def test_what_the_team_tested_is_looked_through_before_it_is_sent_out(page, demo):
    opened(page, demo, "?own=1")
    expect(page.get_by_test_id("sentence")).to_contain_text("river 42")
    page.get_by_role("link", name="Is river 42 ready to be sent out?").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Is river 42 ready to be sent out?")
    expect(page.get_by_test_id("sentence")).to_have_text("Not shown to be ready: some of it was not tried.")
    checks = page.get_by_role("table", name="Checks")
    expect(checks.get_by_role("row").filter(has_text="three test sessions")).to_contain_text("6 of 3")
    expect(checks.get_by_role("row").filter(has_text="loading and menus")).to_contain_text("not tried")
    legs = checks.get_by_role("row").filter(has_text="every leg of the scenario")
    expect(legs).to_contain_text("ok")
    page.get_by_label("Scenario").select_option(label="every leg of River course")
    expect(legs).to_contain_text("5 of 5")


def test_a_goal_and_a_rule_for_classes_are_set_on_the_page(own, demo):
    page = own
    page.get_by_role("link", name="Field", exact=True).click()
    expect(page.get_by_role("heading", name="No session has come in yet")).to_be_visible()
    page.get_by_role("button", name="Goal and classes").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("No class may have more late frames than").select_option("5 %")
    dialog.get_by_role("button", name="Another rule").click()
    dialog.get_by_label("Class of rule 1").fill("small")
    dialog.get_by_role("button", name="Set it").click()
    expect(dialog.get_by_role("alert").first).to_contain_text("states something that must fit")
    dialog.get_by_label("Memory of rule 1 below, GiB").fill("6")
    # What was set stands in the form that is opened again, though it is not read again yet.
    page.route("**/field/settings/", lambda route: route.continue_() if route.request.method == "PUT" else None)
    dialog.get_by_role("button", name="Set it").click()
    expect(dialog).to_be_hidden()
    page.get_by_role("button", name="Goal and classes").click()
    expect(page.get_by_label("Class of rule 1")).to_have_value("small")
    page.unroute_all(behavior="ignoreErrors")


def test_a_page_of_another_origin_sends_what_it_played_and_it_is_counted(own, demo, browser, tmp_path):
    page = own
    page.get_by_role("button", name="Issue a token").click()
    page.get_by_label("Recorder").fill("the river's own")
    page.get_by_label("What it may").select_option("lets in the team's own sessions, and nothing else")
    page.get_by_role("button", name="Issue it").click()
    key = page.get_by_text(re.compile("^vl_")).inner_text()
    (tmp_path / "index.html").write_text("<!doctype html><title>river</title>")
    (tmp_path / "field.js").write_bytes(SENDER.read_bytes())
    elsewhere = ThreadingHTTPServer(("127.0.0.1", 0), partial(Quiet, directory=tmp_path))
    thread = Thread(target=elsewhere.serve_forever)
    thread.start()
    game = browser.new_context().new_page()
    game.goto(f"http://127.0.0.1:{elsewhere.server_port}/index.html")
    sent = game.evaluate(
        """async ({ server, key }) => {
          const { FieldSender, pageStore } = await import("/field.js");
          const field = new FieldSender({ server, key, build: "river 42", device: { model: "Reed 5", kind: "handheld" }, store: pageStore(), consent: true });
          field.tier(1, "some lanterns");
          field.place("quay");
          for (let i = 0; i < 600; i++) field.frame(i % 20 ? 12 : 30, { processor: 9, graphics: 4 });
          return field.end("person");
        }""",
        {"server": demo["base"], "key": key},
    )
    elsewhere.shutdown()
    thread.join()
    elsewhere.server_close()
    game.context.close()
    assert sent is True
    page.get_by_role("link", name="Field", exact=True).click()
    tick = page.get_by_label("the team's own devices")
    expect(page.get_by_role("heading", name="No session has come in yet")).to_be_visible()
    page.goto(f"{page.url}?own=1")
    expect(tick).to_be_checked()
    mine = row(page, "Classes of devices", "handheld")
    expect(mine).to_contain_text("5.0 %")
    expect(mine).to_contain_text("the processor, in 100 % of late frames")
