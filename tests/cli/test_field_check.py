"""``vigilant field-check`` on a good build and on bad ones: each fault is named with what to do, and what was not tried is not passed."""

import json

import pytest
from click.testing import CliRunner
from server.field_sessions import LIMIT_MS, TIER, cell, session

from vigilant.cli.field_check import field_check_command

FRAMES = [12.0] * 90 + [30.0] * 10
NAMED = {
    "labels": ["rain"], "sets": [[0, 0, 0, 1, 60, 6], [0, 0, 1, 1, 40, 4]],
    "places": [{"name": "landing stage"}, {"name": "market bank"}, {"name": "loading", "play": False}],
}  # fmt: skip


def good():
    """Uploads of three sessions: one grows and is sent twice, one was killed, one came later."""
    first = session([cell(FRAMES)], **NAMED, age_s=2.0)
    grown = {**first, "seq": 2, "cells": [cell(FRAMES * 2), cell(FRAMES, place=1)], "ended": "person"}
    killed = session([cell(FRAMES)], **NAMED, ended="vanished", age_s=3.0)
    later = session([cell(FRAMES)], **NAMED, ended="program", age_s=600.0)
    return [first, grown, grown, killed, later]


def check(tmp_path, bodies, *arguments):
    file = tmp_path / "uploads.jsonl"
    file.write_text("\n".join(map(json.dumps, bodies)))
    got = CliRunner().invoke(field_check_command, [str(file), "--json", *arguments])
    rows = {row["check"]: row for row in json.loads(got.output)["checks"]} if got.output.startswith("{") else {}
    return got, rows


def test_a_good_build_is_ready_and_says_so_in_a_table(tmp_path):
    got, rows = check(tmp_path, good(), "--leg", "landing stage", "--leg", "market bank")
    assert {name: row["state"] for name, row in rows.items()} == dict.fromkeys(rows, "ok")
    assert got.exit_code == 0
    assert len(rows) == 17
    said = CliRunner().invoke(field_check_command, [str(tmp_path / "uploads.jsonl")], env={"COLUMNS": "160"})
    assert (said.exit_code, "Ready to be sent out." in said.output, "without consent" in said.output) == (0, True, True)


@pytest.mark.parametrize(("spoil", "name", "state"), [
    (lambda b: b[:2], "sessions", "missing"),
    (lambda b: [b[1], b[0], *b[2:]], "rising", "wrong"),
    (lambda b: [b[0], {**b[0], "age_s": 9.0}, *b[1:]], "rising", "wrong"),
    (lambda b: [b[0], {**b[1], "cells": [cell(FRAMES[:50])]}, *b[3:]], "rising", "wrong"),
    (lambda b: [b[0], b[1], *b[3:]], "again", "missing"),
    (lambda b: [{**one, "device": {"model": "Reed 5"}} for one in b], "device", "wrong"),
    (lambda b: [{**one, "tiers": [{**TIER, "settings": {}}]} for one in b], "tiers", "wrong"),
    (lambda b: [{**one, "sets": one["sets"][:1]} for one in b], "labels", "missing"),
    (lambda b: [{**one, "places": one["places"][:2]} for one in b], "not-play", "missing"),
    (lambda b: [{**one, "cells": [{**c, "play_s": c["play_s"] * 1.05} for c in one["cells"]]} for one in b], "seconds", "wrong"),
    (lambda b: [{**one, "tiers": [{**TIER, "budget_ms": 40.0}]} for one in b], "late", "wrong"),
    (lambda b: [{**one, "cells": [cell([12.0] * 100)]} for one in (b[0], b[3], b[4])], "late", "missing"),
    (lambda b: [{**one, "held": {"told": "unknown"}} for one in b], "held", "missing"),
    (lambda b: [b[0], *b[3:]], "ended", "wrong"),
    (lambda b: [one for one in b if one["ended"] != "vanished"], "killed", "missing"),
    (lambda b: [{**one, "age_s": 3.0} for one in b], "offline", "missing"),
    (lambda b: [{**one, "elsewhere_frames": 4} for one in b], "sizes", "wrong"),
    (lambda b: [{**one, "refused_frames": 4} for one in b], "refused-frames", "wrong"),
    (lambda b: [*b, {**b[0], "cells": [{**cell(FRAMES), "late": 300}]}], "readable", "wrong"),
])  # fmt: skip
def test_each_fault_is_found_and_nothing_wrong_is_ready(tmp_path, spoil, name, state):
    got, rows = check(tmp_path, spoil(good()))
    assert rows[name]["state"] == state
    assert got.exit_code in ((1,) if state == "wrong" else (1, 3))


def test_a_leg_that_was_not_played_is_named(tmp_path):
    got, rows = check(tmp_path, good(), "--leg", "fireworks")
    assert (got.exit_code, rows["legs"]["state"], rows["legs"]["seen"]) == (3, "missing", "not seen: fireworks")


@pytest.mark.parametrize("text", ["", "\n\n", "no json", '{"a":1e999}'])
def test_a_file_without_uploads_is_said(tmp_path, text):
    (tmp_path / "x").write_text(text)
    got = CliRunner().invoke(field_check_command, [str(tmp_path / "x")])
    assert got.exit_code == 2
    assert "Error" in got.output
    (tmp_path / "x").write_bytes(b"\xff\xfe\x00")
    assert CliRunner().invoke(field_check_command, [str(tmp_path / "x")]).exit_code == 2


def test_the_limit_of_the_tests_is_the_budgets():
    assert pytest.approx(TIER["budget_ms"] * 1.05) == LIMIT_MS
