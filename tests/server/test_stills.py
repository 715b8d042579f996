"""Stills of runs: kept as they came, compared by a job, ruled on by people, masked, remarked on."""

import io

import numpy as np
import pytest
from PIL import Image, ImageFile
from rest_framework.test import APIClient

from server.pictures import encoded, put_still, river
from server.standing import doors, kept_recording
from vigilant.formats import limits
from vigilant.server.entries.models import Comparison
from vigilant.server.evidence.models import Found, StillMask
from vigilant.server.jobs.models import Job
from vigilant.server.runs.models import Still

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
LEAF = "/api/books/river/entries/1/evidence/stills/"
LEG = "under the bridge"


@pytest.fixture(scope="module")
def arms(recorder):
    """The runs of an entry that is a gain, by arm."""
    registered = kept_recording(recorder)
    return {arm: [s["run"] for s in registered["slots"] if s["arm"] == arm] for arm in ("before", "after")}


def put_all(client, arms, name="bridge.png", changed=False, runs=3, **of):
    for side, own in arms.items():
        for i, run in enumerate(own[:runs]):
            seed = {"before": 0, "after": 10}[side] + i
            body = encoded(river(seed, changed and side == "after"))
            assert put_still(client, run, name, body, leg=LEG, **of).status_code == 201


def leaf(client):
    answer = client.get(LEAF)
    assert answer.status_code == 200, answer.content[:300]
    return answer.json()


def remarks(client):
    return [r["said"] for r in client.get("/api/books/river/entries/1/").json()["remarks"] if r["leaf"] == "stills"]


def test_a_still_is_kept_as_it_came_and_never_replaced(recorder, editor, arms):
    run, body = arms["before"][0], encoded(river(1))
    first = put_still(recorder, run, "bridge at dusk.png", body, leg=LEG, frame=812)
    assert first.status_code == 201
    assert {k: first.json()[k] for k in ("leg", "frame", "width", "height", "kind")} == {
        "leg": LEG, "frame": 812, "width": 160, "height": 90, "kind": "image/png",
    }  # fmt: skip
    assert put_still(recorder, run, "bridge at dusk.png", body).status_code == 200
    other = put_still(recorder, run, "bridge at dusk.png", encoded(river(2)))
    assert (other.status_code, other.json()["code"]) == (409, "still-differs")
    seen = editor.get(f"/api/runs/{run}/stills/bridge%20at%20dusk.png/")
    assert (seen.content, seen["Content-Type"]) == (body, "image/png")
    assert "default-src 'none'" in seen["Content-Security-Policy"]
    assert [s["name"] for s in editor.get(f"/api/runs/{run}/stills/").json()] == ["bridge at dusk.png"]


def moving():
    out = io.BytesIO()
    frames = [Image.fromarray(river(i)) for i in range(2)]
    frames[0].save(out, "WEBP", save_all=True, append_images=frames[1:])
    return out.getvalue()


def bomb():
    """A small file of many pixels."""
    return encoded(np.zeros((8000, 8000), np.uint8))


@pytest.mark.parametrize(
    ("name", "body", "status", "code"),
    [
        ("a.png", lambda: b"no picture", 422, "still-unreadable"),
        ("a.png", lambda: b"", 422, "still-unreadable"),
        ("a.svg", lambda: b"<svg xmlns='http://www.w3.org/2000/svg'><script>1</script></svg>", 422, "still-unreadable"),
        ("a.png", lambda: encoded(river(1))[:900], 422, "still-unreadable"),
        ("a.webp", moving, 422, "still-moves"),
        ("a.png", bomb, 422, "still-too-large"),
        ("a.png", lambda: b"\x89PNG" + b"0" * limits.STILL_BYTES, 413, "still-too-large"),
        ("..", lambda: encoded(river(1)), 422, "still-unfit"),
        ("a\\b.png", lambda: encoded(river(1)), 422, "still-unfit"),
        (" a.png", lambda: encoded(river(1)), 422, "still-unfit"),
        ("a" * 101, lambda: encoded(river(1)), 422, "still-unfit"),
    ],
)
def test_what_is_no_still_is_refused(recorder, arms, name, body, status, code, monkeypatch):
    monkeypatch.setattr(ImageFile, "LOAD_TRUNCATED_IMAGES", True)  # as the library for PDF leaves it
    answer = put_still(recorder, arms["before"][0], name, body())
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert not Still.objects.exists()


def test_who_may_put_and_see_stills(recorder, editor, owner, people, arms):
    run, body = arms["before"][0], encoded(river(1))
    assert put_still(APIClient(), run, "a.png", body).status_code == 401
    reader = APIClient()
    reader.force_login(people["reader"])
    assert put_still(reader, run, "a.png", body).status_code == 403
    assert put_still(editor, run, "a.png", body).status_code == 201
    assert reader.get(f"/api/runs/{run}/stills/a.png/").status_code == 200
    assert reader.post(f"{LEAF}rulings/", {"name": "a.png", "state": "same", "why": "x"}).status_code == 403
    stranger = APIClient()
    stranger.force_login(type(people["reader"]).objects.create_user("stranger"))
    assert stranger.get(f"/api/runs/{run}/stills/a.png/").status_code == 404
    assert put_still(recorder, run, "b.png", body, digest=b"0" * 32).json()["code"] == "digest-differs"
    assert put_still(recorder, run, "b.png", body, shows="music").status_code == 400


def test_pictures_that_are_the_same_are_so_called_and_not_remarked_on(recorder, editor, arms):
    assert leaf(editor)["sentence"] == "No run of this entry has a still."
    put_all(recorder, arms)
    (still,) = leaf(editor)["stills"]
    assert (still["state"], still["runs"], still["leg"]) == ("same", {"before": 3, "after": 3}, LEG)
    assert still["ssim"] > 0.95
    assert remarks(editor) == []


def test_a_changed_picture_is_remarked_on_with_what_it_means_for_a_gain(recorder, editor, arms):
    put_all(recorder, arms, changed=True)
    shown = leaf(editor)
    (still,) = shown["stills"]
    assert (still["state"], shown["sentence"]) == ("changed", "1 picture: 1 changed.")
    left, top, width, height = still["difference"]["box"]
    assert left <= 40 <= left + width
    assert top <= 50 <= top + height
    (said,) = remarks(editor)
    assert said.startswith(f"The picture bridge.png, in {LEG}, changed: ")
    assert "a gain in time is not one in the same picture" in said
    ink = np.asarray(
        Image.open(io.BytesIO(editor.get(f"{LEAF}difference/", {"name": "bridge.png", "leg": LEG}).content))
    )
    assert (ink[50, 40] < 150, ink[5, 150]) == (True, 255)


def test_what_somebody_saw_counts_and_the_last_word_stands(recorder, editor, arms):
    put_all(recorder, arms, changed=True)
    ruling = {"name": "bridge.png", "leg": LEG, "state": "same", "why": "It is the moon."}
    shown = editor.post(f"{LEAF}rulings/", ruling).json()
    assert (shown["stills"][0]["state"], shown["stills"][0]["ruling"]["why"]) == ("changed", "It is the moon.")
    assert (shown["sentence"], remarks(editor)) == ("1 picture: 1 same.", [])
    editor.post(f"{LEAF}rulings/", {**ruling, "state": "changed", "why": "A lantern more."})
    (said,) = remarks(editor)
    assert "editor saw: A lantern more" in said
    missing = editor.post(f"{LEAF}rulings/", {**ruling, "name": "other.png"})
    assert (missing.status_code, missing.json()["code"]) == (404, "still-missing")


def test_what_may_differ_is_masked_in_every_entry_of_the_scenario(recorder, editor, arms):
    put_all(recorder, arms, changed=True)
    assert leaf(editor)["stills"][0]["state"] == "changed"
    mask = {
        "name": "bridge.png",
        "leg": LEG,
        "left": 0.18,
        "top": 0.4,
        "width": 0.15,
        "height": 0.3,
        "why": "the clock",
    }
    shown = editor.post(f"{LEAF}masks/", mask).json()
    (still,) = shown["stills"]
    assert (still["state"], still["masks"][0]["why"], remarks(editor)) == ("same", "the clock", [])
    assert editor.post(f"{LEAF}masks/", {**mask, "left": 0.9}).status_code == 400
    key = StillMask.objects.get().pk
    assert editor.delete(f"{LEAF}masks/{key}/").json()["stills"][0]["state"] == "changed"
    assert editor.delete(f"{LEAF}masks/{key}/").status_code == 404
    # One comparison of the pictures is kept, that of the masks there are.
    assert Found.objects.filter(leaf="stills").count() == 1


def test_a_picture_of_cost_is_shown_and_never_held_for_a_changed_view(recorder, editor, arms):
    put_all(recorder, arms, "overdraw.png", changed=True, shows="cost")
    (still,) = leaf(editor)["stills"]
    assert (still["state"], "picture of cost" in still["said"], remarks(editor)) == ("not compared", True, [])
    answer = editor.get(f"{LEAF}difference/", {"name": "overdraw.png", "leg": LEG})
    assert answer.json()["code"] == "still-not-compared"
    ruling = {"name": "overdraw.png", "leg": LEG, "state": "changed", "why": "x"}
    assert editor.post(f"{LEAF}rulings/", ruling).json()["code"] == "still-of-cost"


@pytest.mark.parametrize("kind", ["JPEG", "WEBP"])
def test_other_kinds_other_sizes_and_one_arm_alone(recorder, editor, arms, kind):
    for arm, size in (("before", (160, 90)), ("after", (320, 180))):
        put_still(recorder, arms[arm][0], "a", encoded(river(1, size=size), kind))
    put_still(recorder, arms["after"][0], "b", encoded(river(1), kind))
    said = {s["name"]: (s["state"], s["said"]) for s in leaf(editor)["stills"]}
    assert said == {
        "a": ("not compared", "its sizes differ: 160 x 90 and 320 x 180"),
        "b": ("not compared", "only after has it"),
    }


def test_a_comparison_that_fails_is_said_and_not_begun_by_every_look(recorder, editor, arms, monkeypatch):
    put_all(recorder, arms, runs=1)
    Found.objects.all().delete()
    monkeypatch.setattr("vigilant.server.jobs.services.MOST_ATTEMPTS", 1)
    monkeypatch.setattr("vigilant.server.evidence.stills.judge_stills", lambda *_: 1 / 0)
    editor.get(LEAF)
    jobs = Job.objects.count()
    shown = leaf(editor)
    assert (shown["pending"], "could not be compared: Given up after 1" in shown["sentence"]) == (False, True)
    assert Job.objects.count() == jobs


def test_a_run_holds_so_many_stills_and_takes_them_along(recorder, arms, monkeypatch):
    monkeypatch.setattr(limits, "STILLS", 2)
    run = arms["before"][0]
    for name, status in (("a", 201), ("b", 201), ("c", 422), ("a", 200)):
        assert put_still(recorder, run, name, encoded(river(1))).status_code == status
    Comparison.objects.all().delete()
    Still.objects.get(name="a").run.delete()
    assert not Still.objects.exists()


def swing(at, reach, seed):
    picture = river(seed).copy()
    picture[30:40, round(75 + reach * np.sin(at)) :][:, :10] = 250
    return encoded(picture)


def put_swing(client, arms, count=5, after_reach=20, left=()):
    for side, own in arms.items():
        for i, run in enumerate(own[:2]):
            for at in range(count):
                if (side, i, at) not in left:
                    body = swing(at, after_reach if side == "after" else 20, 100 * (side == "after") + 10 * i + at)
                    of = {"leg": LEG, "frame": 100 + at, "sequence": "lantern in the wind"}
                    # Names that sort otherwise than their frames.
                    assert put_still(client, run, f"{9 - at}.png", body, **of).status_code == 201


def test_a_sequence_is_one_row_by_its_frames_and_one_remark(recorder, editor, arms):
    put_all(recorder, arms)
    put_swing(recorder, arms, after_reach=5)
    found = leaf(editor)
    [row] = found["sequences"]
    assert (row["leg"], row["name"], row["state"]) == (LEG, "lantern in the wind", "changed")
    assert row["pictures"] == ["9.png", "8.png", "7.png", "6.png", "5.png"]
    assert row["said"].startswith("of 5 pictures 4 changed, 1 same; on the mean ")
    states = {s["name"]: s["state"] for s in found["stills"] if s["sequence"]}
    assert states == {"9.png": "same", **dict.fromkeys(("8.png", "7.png", "6.png", "5.png"), "changed")}
    assert found["sentence"] == "1 picture and 1 sequence: 1 changed, 1 same."
    assert [said.split(" changed")[0] for said in remarks(editor)] == [f"The sequence lantern in the wind, in {LEG},"]
    ruling = {"leg": LEG, "name": "lantern in the wind", "state": "same", "why": "It swings as the wind does."}
    assert editor.post(f"{LEAF}rulings/", ruling, format="json").json()["code"] == "still-missing"
    said = editor.post(f"{LEAF}rulings/", {**ruling, "whole": True}, format="json")
    assert (said.status_code, said.json()["sentence"]) == (201, "1 picture and 1 sequence: 2 same.")
    assert remarks(editor) == []
    assert editor.post(f"{LEAF}rulings/", {**ruling, "name": "x", "whole": True}, format="json").status_code == 404


@pytest.mark.parametrize(
    ("left", "state", "said"),
    [
        # A picture that a run lacks: the arm's other run is used alone.
        ([("before", 1, 3)], "same", "of 5 pictures 5 same"),
        ([("before", i, i) for i in (0, 1)], "not compared", "no run before has all of its pictures"),
        ([("after", i, at) for i in (0, 1) for at in range(5)], "not compared", "only before has it"),
    ],
    ids=["one lacks one", "each lacks one", "none after"],
)
def test_a_sequence_that_runs_have_in_part(recorder, editor, arms, left, state, said):
    put_swing(recorder, arms, left=left)
    found = leaf(editor)
    [row] = found["sequences"]
    assert (row["state"], said in row["said"]) == (state, True), row["said"]
    if state == "same":
        assert {s["pair"]["before"] for s in found["stills"]} == {arms["before"][0]}
