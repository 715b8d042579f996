"""Laps: the demo's sheet is read, others are kept from files, joined to an entry and left out."""

import json
import re

from playwright.sync_api import expect


def process(each_s, number):
    rows = [{"vigilant_laps": 1, "name": "ripples", "version": ""}]
    rows += [
        [size, 10, 10 * (2e-6 + each_s * size) * (1 + 0.002 * ((7 * number + size + sample) % 11)), f"{size}"]
        for size in (64, 256, 1024) for sample in range(10)
    ]  # fmt: skip
    body = "\n".join(map(json.dumps, rows)) + "\n"
    return {"name": f"{number} {each_s}.jsonl", "mimeType": "application/json", "buffer": body.encode()}


def test_the_demos_laps_say_what_matters_in_the_frame(page, demo):
    page.goto(f"{demo['base']}/lanternfall/laps")
    page.get_by_role("link", name="find neighbours").click()
    expect(page.get_by_test_id("sentence")).to_have_text(
        re.compile("^Dearer at some sizes and cheaper at others: dearer at 10 and 20, cheaper at 40")
    )
    expect(page.get_by_role("table", name="A call at each size").get_by_role("row")).to_have_count(6)
    expect(page.get_by_text(re.compile(r"Entry 1 measured the frame itself: 0\.\d\d ms saved"))).to_be_visible()
    expect(
        page.get_by_text(re.compile(r"^With 1 call a frame of 40 items the frame would save 2\.\d+ ms .*that matters"))
    ).to_be_visible()
    expect(page.get_by_text("what was measured in the frame stands")).to_be_visible()


def test_laps_are_kept_from_files_joined_and_left_out(page, demo):
    page.goto(f"{demo['base']}/lanternfall/laps")
    expect(page.get_by_role("table", name="Laps")).to_be_visible()
    page.keyboard.press("n")
    page.get_by_label("Routine").fill("ripples")
    page.get_by_label("Version before").fill("double")
    page.get_by_label("Version after").fill("half")
    page.get_by_role("button", name="Keep them").click()
    expect(page.get_by_text("Choose files of both versions.").first).to_be_visible()
    page.get_by_label("Files before").set_input_files([process(1e-6, n) for n in range(4)])
    page.get_by_label("Files after").set_input_files([process(0.6e-6, 0)] * 2)
    page.get_by_role("button", name="Keep them").click()
    expect(page.get_by_text(re.compile("one process cannot count twice")).first).to_be_visible()
    page.get_by_label("Files after").set_input_files([process(0.6e-6, n) for n in range(4)])
    page.get_by_role("button", name="Keep them").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("ripples")
    expect(page.get_by_test_id("sentence")).to_have_text("A call is cheaper at every size that was lapped.")
    page.get_by_role("button", name="join it to an entry").click()
    page.get_by_role("dialog").get_by_label("Entry").select_option("2. Half-precision ripples")
    page.get_by_label("Or calls a frame").fill("1")
    page.get_by_label("Items in the frame").fill("4000")
    page.get_by_role("button", name="Join it").click()
    expect(page.get_by_text(re.compile("nothing is said beyond them")).first).to_be_visible()
    page.get_by_label("Items in the frame").fill("1000")
    page.get_by_role("button", name="Join it").click()
    expect(
        page.get_by_text(re.compile(r"^With 1 call a frame of 1,000 items the frame would save 0\.4.*that "))
    ).to_be_visible()
    page.get_by_role("button", name="Leave these laps out").click()
    page.get_by_role("dialog").get_by_role("button", name="Leave them out").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Laps")
    expect(page.get_by_role("link", name="ripples", exact=True)).to_have_count(0)
