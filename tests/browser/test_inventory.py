"""What a build is made of: the demo's two builds beside their counter, and a file with a total of the book's own."""

import re

import pytest
from playwright.sync_api import expect

KINDS = "kind,count,width,height\nboat,10,512,512\nlantern,100,64,64\nvisitor,5,,\n"


@pytest.mark.usefixtures("ledger")
def test_two_builds_are_held_against_each_other_and_against_their_counter(page):
    page.get_by_role("navigation", name="Sections").get_by_role("link", name="Inventory").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("Most of draws is paper lantern")
    expect(
        page.get_by_text(re.compile(r"The counter draws says 80.\.. a frame on average and 896 at most"))
    ).to_be_visible()
    expect(page.get_by_text("all of the inventory is there at once")).to_be_visible()
    page.get_by_label("Total", exact=True).select_option("picture memory MiB")
    expect(page.get_by_text(re.compile(r"At most 225 .*: 8\.\d+ left, if what is not told"))).to_be_visible()
    page.get_by_label("Held against").select_option(
        label=page.get_by_label("Held against").get_by_role("option").nth(1).inner_text()
    )
    changed = page.get_by_role("table", name="What changed")
    expect(changed.get_by_role("row").nth(1)).to_contain_text("reflection")
    expect(changed).not_to_contain_text("boat hull")
    expect(page.get_by_text("kinds did not change")).to_be_visible()
    page.reload()  # the address holds what was chosen
    expect(changed.get_by_role("row").nth(1)).to_contain_text("reflection")


def test_a_file_is_brought_in_and_totalled_by_a_formula(own):
    page = own
    page.get_by_role("navigation", name="Sections").get_by_role("link", name="Inventory").click()
    expect(page.get_by_text("No inventory yet")).to_be_visible()
    page.get_by_role("button", name="From a file").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Build").fill("first")
    dialog.get_by_role("button", name="Bring it in").click()
    expect(dialog.get_by_role("alert").first).to_contain_text("Choose a file.")
    bad = {"name": "kinds.csv", "mimeType": "text/csv", "buffer": b"kind,weight\nboat,3\n"}
    dialog.get_by_label("File").set_input_files(bad)
    dialog.get_by_role("button", name="Bring it in").click()
    expect(dialog.get_by_text("needs a column count")).to_be_visible()
    dialog.get_by_label("File").set_input_files({**bad, "buffer": KINDS.encode()})
    dialog.get_by_role("button", name="Bring it in").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("Most of pieces is lantern")
    page.get_by_role("button", name="another total").click()
    dialog.get_by_label("Total").fill("texture KiB")
    dialog.get_by_label("What a piece weighs").fill("width * depth")
    dialog.get_by_label("Why").fill("The handheld has 8 MiB.")
    dialog.get_by_role("button", name="Set it").click()
    expect(dialog.get_by_text("No kind has 'depth'; there are height, pieces, width.")).to_be_visible()
    dialog.get_by_label("What a piece weighs").fill("width * height * 4 / 1024")
    dialog.get_by_label("At most").fill("8192")
    dialog.get_by_role("button", name="Set it").click()
    expect(dialog).to_have_count(0)
    page.get_by_label("Total", exact=True).select_option("texture KiB")
    expect(page.get_by_test_id("sentence")).to_contain_text("Most of texture KiB is boat: 10,240 of 11,840 (86 %)")
    expect(page.get_by_text("over by 3,648")).to_be_visible()
    expect(page.get_by_text("is not told of 1 kind (visitor)")).to_be_visible()
