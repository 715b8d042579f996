"""What is kept in the ledger and shown to a sceptic: filing, the view taken out, the seal, the bundle, the runs' leaf."""

import csv
import io
import subprocess
import sys
import zipfile

from click.testing import CliRunner
from playwright.sync_api import expect

from vigilant.cli.main import main


def test_an_entry_is_filed_found_by_its_label_and_the_view_taken_out(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/5")
    filed = page.get_by_role("region", name="Filed")
    filed.get_by_role("button", name="labels, references, a note").click()
    sheet = page.get_by_role("dialog", name="File entry 5")
    sheet.get_by_label("Labels").fill("awnings, autumn")
    sheet.get_by_label("Repeats entry").fill("one")
    sheet.get_by_role("button", name="File it").click()
    expect(sheet.get_by_text("Numbers of entries, with commas between.")).to_be_visible()
    sheet.get_by_label("Repeats entry").fill("5")
    sheet.get_by_role("button", name="File it").click()
    expect(sheet.get_by_text("An entry does not stand to itself")).to_be_visible()
    sheet.get_by_label("Repeats entry").fill("4")
    sheet.get_by_label("Note").fill("Ask Mira before the finale.")
    sheet.get_by_role("button", name="File it").click()
    expect(sheet).to_be_hidden()
    expect(filed).to_contain_text("Ask Mira before the finale.")
    filed.get_by_role("link", name="no. 4").click()
    expect(page.get_by_role("region", name="Filed")).to_contain_text("repeated by no. 5")
    page.go_back()
    page.get_by_role("region", name="Filed").get_by_role("link", name="autumn").click()
    rows = page.get_by_role("table", name="Entries").locator("tbody tr").filter(has=page.get_by_role("link"))
    expect(rows).to_have_count(1)
    expect(rows.first).to_contain_text("autumn, awnings")
    with page.expect_download() as taken:
        page.get_by_role("link", name="CSV").click()
    rows = list(csv.DictReader(io.StringIO(taken.value.path().read_text())))
    assert [(row["number"], row["labels"], row["note"]) for row in rows] == [
        ("5", "autumn, awnings", "Ask Mira before the finale."),
    ]  # fmt: skip


def test_the_seal_is_checked_and_the_bundle_verified_by_tool_and_script(page, demo, tmp_path):
    page.goto(f"{demo['base']}/lanternfall/book")
    seal = page.get_by_role("region", name="Seal")
    seal.get_by_role("button", name="Check it").click()
    expect(seal).to_contain_text("all is as it was sealed.")
    fingerprint = page.request.get(f"{demo['base']}/api/signing-key/").json()["fingerprint"]
    expect(seal).to_contain_text(fingerprint)
    page.goto(f"{demo['base']}/lanternfall/entries/3")
    with page.expect_download() as taken:
        page.get_by_role("link", name="evidence bundle").click()
    path = taken.value.path()
    done = CliRunner().invoke(main, ["verify", str(path), "--key", fingerprint])
    assert (done.exit_code, "the key you named" in " ".join(done.output.split())) == (0, True), done.output
    with zipfile.ZipFile(path) as archive:
        archive.extractall(tmp_path)
    plain = subprocess.run([sys.executable, "-I", tmp_path / "check.py"], capture_output=True, text=True, check=False)
    assert (plain.returncode, "All as stated." in plain.stdout) == (0, True)


def test_the_runs_leaf_says_drift_blocks_and_outcomes(page, demo):
    page.goto(f"{demo['base']}/lanternfall/entries/1/runs")
    api = page.request.get(f"{demo['base']}/api/books/lanternfall/entries/1/evidence/runs/").json()
    expect(page.get_by_text(api["drift"]["said"])).to_be_visible()
    expect(page.get_by_text(api["said"])).to_be_visible()
    expect(page.get_by_role("table", name="Blocks").locator("tbody tr")).to_have_count(len(api["blocks"]))
    expect(page.get_by_text("8 before and 8 after count; no other attempt was made.")).to_be_visible()
