"""The recorded intervals of a stretch, and blind trials over HTTP: hidden until they are over, answered in turn, kept."""

import numpy as np
import pytest
from rest_framework.test import APIClient

from server.standing import doors, kept_recording
from vigilant.server.books.models import LogLine, Member
from vigilant.server.evidence.models import BlindTrial
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import read_series

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
WATCH = "/api/books/river/entries/1/evidence/watch/"
TRIALS = "/api/books/river/entries/1/evidence/trials/"
ASKED = {"from_s": 0.5, "to_s": 2.5, "presentations": 6}


@pytest.fixture(scope="module")
def entry(recorder):
    return kept_recording(recorder, frames=300)


@pytest.fixture
def reader(people):
    client = APIClient()
    client.force_login(people["reader"])
    return client


def test_both_arms_are_watched_over_the_same_stretch_of_the_course(editor, entry):
    found = editor.get(f"{WATCH}?from_s=1&to_s=2").json()
    for arm, level in (("before", 12.0), ("after", 10.5)):
        frames = np.array(found[arm]["frame_ms"])
        recorded = read_series(Run.objects.get(pk=found[arm]["run"])).frame_ms
        start = next(i for i in range(recorded.size) if np.allclose(recorded[i : i + frames.size], frames, atol=1e-3))
        # A second of the mean course: that of the run itself, by its share of its length.
        assert recorded[:start].sum() / recorded.sum() == pytest.approx(1 / found["length_s"], abs=0.01)
        assert frames.mean() == pytest.approx(level, rel=0.1)
    whole = editor.get(WATCH).json()
    assert (whole["from_s"], whole["to_s"]) == (0.0, whole["length_s"])  # shorter than what is usual


@pytest.mark.parametrize("asked", ["from_s=2&to_s=1", "from_s=900", "from_s=1&to_s=1"])
def test_a_stretch_that_is_none_is_refused(asked, editor, entry):
    assert editor.get(f"{WATCH}?{asked}").json()["code"] == "no-stretch"
    assert editor.get(f"{WATCH}?from_s=nan").status_code == 400


def answer(client, trial, number, side):
    return client.post(f"{TRIALS}{trial['id']}/", {"number": number, "side": side})


def test_a_trial_is_answered_in_turn_and_told_when_it_is_over(editor, reader, entry, people):
    made = reader.post(TRIALS, ASKED)
    assert made.status_code == 201
    trial = made.json()
    assert (trial["presentations"], len(trial["sides"]), trial["result"]) == (6, 1, None)
    assert editor.get(TRIALS).json() == []
    assert answer(reader, trial, 1, "left").json()["code"] == "answer-out-of-turn"
    assert answer(editor, trial, 0, "left").json()["code"] == "trial-of-another"
    for number in range(6):
        seen = answer(reader, trial, number, trial["sides"][number])
        assert answer(reader, trial, number, trial["sides"][number]).json() == seen.json()  # sent twice
        trial = seen.json()
        if number < 5:
            assert (len(trial["sides"]), trial["result"], trial["ended_at"]) == (number + 2, None, None)
    assert trial["result"] == {
        "hits": 6, "answers": 6, "p_value": 1 / 64, "looked_for": "after",
        "said": "6 of 6 took after for the smoother one: by guessing 1 time in 64.",
    }  # fmt: skip
    assert (
        answer(reader, trial, 5, {"left": "right", "right": "left"}[trial["sides"][5]]).json()["code"] == "trial-over"
    )
    (shown,) = editor.get(TRIALS).json()
    assert (shown["result"], shown["sides"]) == (trial["result"], trial["sides"])
    assert "6 of 6 took after" in LogLine.objects.get(what="blind trial").text


def test_one_that_is_broken_off_counts_what_was_answered(reader, entry):
    trial = reader.post(TRIALS, ASKED).json()
    answer(reader, trial, 0, trial["sides"][0])
    over = reader.delete(f"{TRIALS}{trial['id']}/").json()
    assert (over["result"]["answers"], over["result"]["p_value"]) == (1, None)
    assert reader.delete(f"{TRIALS}{trial['id']}/").json() == over
    assert answer(reader, over, 1, "left").json()["code"] == "trial-over"


def test_who_may_not_and_what_cannot_be_a_trial(editor, recorder, entry, django_user_model):
    assert recorder.post(TRIALS, ASKED).status_code == 403
    for wrong in ({"presentations": 4}, {"presentations": 61}, {"to_s": "x"}):
        assert editor.post(TRIALS, {**ASKED, **wrong}).status_code == 400
    assert editor.post(TRIALS, {**ASKED, "from_s": 900, "to_s": 905}).json()["code"] == "no-stretch"
    editor.post("/api/books/river/entries/", {"title": "Waits"})
    assert editor.post(TRIALS.replace("/1/", "/2/"), ASKED).json()["code"] == "nothing-recorded"
    stranger = APIClient()
    stranger.force_login(django_user_model.objects.create_user("stranger"))
    assert stranger.post(TRIALS, ASKED).status_code == 404
    assert not BlindTrial.objects.exists()
    assert Member.objects.count() == 3
