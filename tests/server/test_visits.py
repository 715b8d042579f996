"""A visitor's own browser: its link, the pages that come one after the other, and how little a page's token can do."""

import base64
import json
import random
from datetime import timedelta

import pytest
from django.core.cache import cache
from django.utils import timezone
from rest_framework.test import APIClient

from vigilant.server.bench import services, visits
from vigilant.server.bench.models import Live, Visit
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Recording, Run

pytestmark = pytest.mark.django_db

OLD, NEW = "http://pages.lantern.test:8800", "https://new.lantern.test"
PLAN = {
    "scenario": {"name": "Lanternfall, in the page", "target_fps": 60, "duration_s": 0.5, "seed": 7,
                 "load": {"knob": "lanterns", "values": [400, 900]}},
    "arm": [{"name": "all", "page": f"{OLD}/?lanterns={{load}}&seed={{seed}}"}, {"name": "grid", "page": f"{NEW}/?neighbours=grid"}],
    "recording": {"runs": 4, "order_seed": 3},
    "entry": {"title": "Neighbours by cell, in the page"},
}  # fmt: skip
FACTS = {"browser": "Lantern 3", "cores": "8"}
HEAD = {"vigilant_frames": 1, "columns": ["frame"], "unit": "ms", "frame_is": "shown to shown"}


@pytest.fixture(autouse=True)
def unhurried():
    cache.clear()


@pytest.fixture
def planned(editor, book):
    answer = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": PLAN})
    assert answer.status_code == 201, answer.json()
    return answer.json()


@pytest.fixture
def visitor():
    return APIClient()


class Page:
    """What a page under test was asked, and how it delivers."""

    def __init__(self, address, origin=None):
        self.address, _, asked = address.partition("#vigilant=")
        self.told = json.loads(base64.urlsafe_b64decode(asked + "=" * (-len(asked) % 4)))
        self.at = self.told["to"].removeprefix("http://testserver")
        self.origin = origin or self.address.partition("/?")[0]
        self.client = APIClient()

    def ask(self, path, body=None, method="post", **headers):
        sent = {"Authorization": f"Bearer {self.told['token']}", "Origin": self.origin, **headers}
        kind = "application/x-ndjson" if isinstance(body, bytes) else "application/json"
        data = body if isinstance(body, bytes) else json.dumps(body or {})
        return getattr(self.client, method)(f"{self.at}/{path}/", data, content_type=kind, headers=sent)

    def opens(self, **changes):
        return self.ask("head", {"head": HEAD, "facts": FACTS, **changes})

    def plays(self, level, frames=40):
        """Delivered whole; the page that plays next."""
        assert self.ask("begins").status_code == 200
        assert self.opens().status_code == 200
        chance = random.Random(self.at)
        rows = [json.dumps([level * chance.uniform(0.9, 1.3)]) for _ in range(frames)] + [
            json.dumps({"end": {"frames": frames}})
        ]
        body = ("\n".join(rows) + "\n").encode()
        assert [self.ask("lines/0", body, "put").status_code for _ in range(2)] == [200, 200]
        answer = self.ask("end", {"frames": frames})
        assert answer.status_code == 200, answer.json()
        return answer.json()["address"]


def begun(visitor, code):
    answer = visitor.post(f"/visit/{code}")
    assert answer.status_code == 303
    return Page(answer["Location"])


def test_one_link_plays_every_run_and_ends_in_a_verdict(planned, visitor, editor):
    assert planned["visit"]["origins"] == [OLD, NEW]
    shown = visitor.get(f"/visit/{planned['visit']['code']}")
    assert "8 runs of 0.5 s" in shown.text
    assert f"form-action 'self' {OLD} {NEW}" in shown["Content-Security-Policy"]
    page = begun(visitor, planned["visit"]["code"].lower().replace("-", " "))
    addresses = []
    while page:
        addresses.append(page.address)
        level = 12.0 if page.address.startswith(OLD) else 9.0
        address = page.plays(level)
        page = Page(address) if address else None
    assert sorted(set(addresses)) == [f"{OLD}/?lanterns=400&seed=7", f"{NEW}/?neighbours=grid"]
    assert len(addresses) == 8
    recording = Recording.objects.get(pk=planned["id"])
    assert (recording.state, recording.remark) == (Recording.State.FINISHED, "")
    assert (recording.rig.alias, recording.rig.facts) == ("a visitor's browser", FACTS)
    sheets = [run.conditions.facts for run in Run.objects.select_related("conditions")]
    assert {s["recorded by"] for s in sheets} == {"a page in a visitor's browser"}
    assert {s["load"] for s in sheets} == {"400 lanterns"}
    entry = Entry.objects.get(number=planned["entry"])
    assert entry.comparison.verdict == "gain"
    assert "Thank you" in visitor.get(f"/visit/{planned['visit']['code']}").text
    assert visitor.post(f"/visit/{planned['visit']['code']}")["Location"].endswith(planned["visit"]["code"])


def test_the_bench_sees_which_page_plays(planned, visitor, editor):
    page = begun(visitor, planned["visit"]["code"])
    page.ask("begins")
    live = editor.get(f"/api/recordings/{planned['id']}/").json()
    assert (live["state"], live["live"]["phase"], live["live"]["position"], live["silent_s"] < 60) == (
        "recording", "running", 0, True,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("made", "status", "code"),
    [
        ({"token": "nothing"}, 401, "token-unknown"),
        ({"token": ""}, 401, "token-unknown"),
        ({"origin": "https://elsewhere.lantern.test"}, 403, "origin-unlike"),
        ({"origin": ""}, 403, "origin-unlike"),
        ({"at": True}, 403, "token-of-another"),
    ],
)
@pytest.mark.parametrize("path", ["begins", "head", "lines/0", "end"])
def test_a_page_delivers_to_its_own_run_with_its_own_token_from_its_own_origin(made, status, code, path, planned, visitor):  # fmt: skip
    page = begun(visitor, planned["visit"]["code"])
    page.told["token"] = made.get("token", page.told["token"])
    page.origin = made.get("origin", page.origin)
    if "at" in made:
        other = Recording.objects.get(pk=planned["id"]).slots.get(position=1).run_uuid
        page.at = f"/api/visited/{other}"
    bodies = {"head": {"head": HEAD, "facts": FACTS}, "end": {"frames": 1}, "lines/0": b"[9.0]\n"}
    answer = page.ask(path, bodies.get(path), "put" if path == "lines/0" else "post")
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert not Run.objects.exists()


def test_a_pages_token_opens_nothing_else(planned, visitor, book):
    page = begun(visitor, planned["visit"]["code"])
    sent = {"Authorization": f"Bearer {page.told['token']}", "Origin": page.origin}
    for path in ("token/", f"books/{book.slug}/entries/", "runs/", "standby/", f"recordings/{planned['id']}/"):
        for answer in (page.client.get(f"/api/{path}", headers=sent), page.client.post(f"/api/{path}", headers=sent)):
            assert answer.status_code in (401, 403, 405), path
            assert "Access-Control-Allow-Origin" not in answer.headers


@pytest.mark.parametrize(("origin", "let_in"), [(OLD, True), (NEW, True), ("https://elsewhere.lantern.test", False), ("null", False)])  # fmt: skip
def test_browsers_are_told_which_origins_may_speak(origin, let_in, planned, visitor):
    page = begun(visitor, planned["visit"]["code"])
    asked = {
        "Origin": origin,
        "Access-Control-Request-Method": "PUT",
        "Access-Control-Request-Headers": "authorization",
    }
    answer = visitor.options(f"{page.at}/lines/0/", headers=asked)
    assert (answer.headers.get("Access-Control-Allow-Origin") == origin) == let_in
    assert "Access-Control-Allow-Credentials" not in answer.headers
    assert "Access-Control-Allow-Origin" not in visitor.options("/api/visited/nothing/end/", headers=asked).headers


def test_a_page_left_while_it_delivers_is_opened_again_and_no_run_stands_half(planned, visitor):
    code = planned["visit"]["code"]
    page = begun(visitor, code)
    page.opens()
    page.ask("lines/0", b"[9.0]\n", "put")
    again = begun(visitor, code)
    assert again.told["to"] != page.told["to"]
    slots = Recording.objects.get(pk=planned["id"]).slots
    assert list(slots.filter(position=0).values_list("attempt", "outcome", "detail")) == [
        (1, "broken", visits.LEFT), (2, "planned", ""),
    ]  # fmt: skip
    assert page.ask("lines/1", b"[9.0]\n", "put").json()["code"] == "run-closed"
    assert page.opens().json()["code"] == "run-closed"
    # Left before it delivered anything, it is asked of the same place again.
    assert begun(visitor, code).told["to"] == again.told["to"]
    for _ in range(visits.MOST_ATTEMPTS):
        page = begun(visitor, code)
        page.opens()
    assert slots.filter(position=0).count() == visits.MOST_ATTEMPTS
    assert slots.filter(position=1).exclude(run=None).exists()


def test_frames_that_do_not_fit_are_refused_and_the_run_stays_open(planned, visitor):
    page = begun(visitor, planned["visit"]["code"])
    assert page.ask("lines/0", b"[9.0]\n", "put").json()["code"] == "run-unknown"
    assert page.ask("end", {"frames": 0}).json()["code"] == "run-unknown"
    assert page.opens(head={**HEAD, "columns": []}).status_code == 422
    assert page.opens(facts={f"f{i}": "x" for i in range(30)}).status_code == 400
    assert page.opens().status_code == 200
    assert page.opens().status_code == 200
    assert page.ask("lines/1", b"[9.0]\n", "put").json()["code"] == "batch-gap"
    assert page.ask("lines/0", b"[-9.0]\n", "put").status_code == 422
    assert page.ask("lines/0", b"[9.0]\n[9.5]\n", "put").json()["frames"] == 2


def test_stopping_keeps_what_came_and_a_code_ends(planned, visitor, editor):
    code = planned["visit"]["code"]
    first = begun(visitor, code)
    page = Page(first.plays(12.0))
    control = f"/api/recordings/{planned['id']}/control/"
    assert editor.post(control, {"control": "pause"}).json()["code"] == "no-recorder"
    assert editor.post(control, {"control": "stop"}).status_code == 200
    recording = Recording.objects.get(pk=planned["id"])
    assert (recording.state, recording.stopped) == (Recording.State.FINISHED, True)
    assert Run.objects.filter(state=Run.State.COMPLETE).count() == 1
    assert "This recording is over" in visitor.get(f"/visit/{code}").text
    for answer in (page.ask("begins"), page.opens(), page.ask("end", {"frames": 1})):
        assert answer.json()["code"] == "recording-over"
    assert first.ask("end", {"frames": 40}).json() == {"address": None}  # asked again, its answer was lost
    Visit.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
    assert visitor.get(f"/visit/{code}").status_code == 404
    assert visitor.post(f"/visit/{code}").status_code == 404


def test_codes_are_not_tried_by_the_thousand(visitor):
    answers = {visitor.get(f"/visit/AAAA-{i:04d}").status_code for i in range(70)}
    assert answers == {404, 429}
    assert visits.LETTERS.isalnum()


def test_a_recorder_is_not_asked_for_pages(planned, editor, book):
    taken = {**PLAN, "entry": {"title": "Another"}}
    answer = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": taken, "asked_of": "workbench"})
    assert answer.status_code == 422
    assert not Live.objects.exists()
    assert services.silence_s(Recording.objects.get(pk=planned["id"])) is None
