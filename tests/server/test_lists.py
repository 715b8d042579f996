"""Lists: filtered, ordered and paged by the server; what an entry and a run tell of themselves."""

import pytest
from django.core.cache import cache
from django.db import connection
from django.test.utils import CaptureQueriesContext
from rest_framework.test import APIClient

from server.delivering import compared, deliver, put_batch, recording, run_body
from server.standing import doors, kept_recording
from vigilant.server import paging
from vigilant.server.books.models import Book, Member
from vigilant.server.entries.models import Decision, Entry

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
ENTRIES = "/api/books/river/entries/"


@pytest.fixture(scope="module")
def filled(book, recorder, people):
    """Three entries: a gain (kept), an undecided one, and one that waits for its runs."""
    for title, after in (("Sparks from a table", 10.0), ("Lantern glow in one pass", 11.95)):
        kept_recording(recorder, after=after, frames=120, title=title)
    Entry.objects.create(book=book, number=3, title="Awnings", why="Painted twice.")
    Decision.objects.create(entry=Entry.objects.get(number=1), choice="kept", decided_by=people["owner"])
    return book


#: One set-up for all of a table: what is asked for changes nothing.
ENTRIES_OF = {
    "": [3, 2, 1],
    "?find=sparks": [1],
    "?find=PAINTED": [3],
    "?find=2": [2],
    "?find=zeppelin": [],
    "?verdict=gain": [1],
    "?verdict=gain,undecided": [2, 1],
    "?verdict=gain&verdict=undecided": [2, 1],
    "?decision=kept": [1],
    "?decision=none": [2],
    "?decision=kept,none": [2, 1],
    "?open=true": [3, 2],
    "?recorded=true": [2, 1],
    "?recorded=false": [3],
    "?person=owner": [1],
    "?person=editor": [],
    "?build=new": [2, 1],
    "?build=newer": [],
    "?since=2026-05-05T00:00:00Z": [],
    "?until=2026-05-05T00:00:00Z": [2, 1],
    "?scenario=0": [],
    "?ordering=number": [1, 2, 3],
    "?ordering=title": [3, 2, 1],
    "?ordering=-verdict": [2, 1, 3],
    "?ordering=rig": [3, 2, 1],
    "?page_size=2": [3, 2],
    "?page_size=2&page=2": [1],
}


def test_entries_are_filtered_ordered_and_paged(filled, editor):
    def numbers(query):
        return [e["number"] for e in editor.get(ENTRIES + query).json()["results"]]

    assert {query: numbers(query) for query in ENTRIES_OF} == ENTRIES_OF


def test_a_page_that_is_not_there(filled, editor):
    answer = editor.get(ENTRIES + "?page=9")
    assert (answer.status_code, answer["Content-Type"]) == (404, "application/problem+json")


@pytest.mark.parametrize(("asked", "counts"), [("", 0), ("?page_size=2", 1), ("?page_size=2&page=2", 1)])
def test_a_list_that_leaves_room_on_its_first_page_is_not_counted(filled, editor, asked, counts):
    with CaptureQueriesContext(connection) as made:
        found = editor.get(ENTRIES + asked).json()
    assert found["count"] == 3
    assert sum("COUNT(*)" in query["sql"] for query in made) == counts


@pytest.mark.parametrize(("many", "then"), [(10, 4), (2, 3)])
def test_a_long_list_is_counted_once_in_a_while_and_a_short_one_at_once(filled, editor, monkeypatch, many, then):
    cache.clear()
    monkeypatch.setattr(paging, "MANY", many)
    newest = f"{ENTRIES}?page_size=2"
    assert editor.get(newest).json()["count"] == 3
    Entry.objects.create(book=filled, number=4, title="Oars", why="Drawn twice.")
    found = editor.get(newest).json()
    assert (found["count"], found["results"][0]["number"]) == (then, 4)  # what is newest is there whatever was counted
    assert editor.get(f"{ENTRIES}?find=oars").json()["count"] == 1  # another list
    cache.clear()


def test_a_line_and_its_entry_agree(filled, editor):
    line = next(e for e in editor.get(ENTRIES).json()["results"] if e["number"] == 1)
    entry = editor.get(f"{ENTRIES}1/").json()
    assert {k: entry[k] for k in line} == line
    assert (line["stamp"], line["runs"], line["spent"]) == ("Gain", "5+5", "")
    mean = entry["result"]["figures"]["mean_ms"]
    assert float(line["saved"]) == pytest.approx(-mean["difference"], abs=0.006)
    assert (entry["previous"], entry["next"]) == (None, 2)
    assert [d["position"] for d in entry["dots"]] == list(range(10))
    assert entry["result"]["sentence"].startswith("A frame takes ")


def test_an_entry_without_runs_cannot_be_decided(filled, editor):
    answer = editor.post(f"{ENTRIES}3/decisions/", {"choice": "kept"})
    assert (answer.status_code, answer.json()["code"]) == (409, "nothing-recorded")
    assert editor.post(f"{ENTRIES}1/decisions/", {"choice": "forgotten"}).status_code == 400


RUNS_OF = {
    "": 20,
    "?state=broken": 0,
    "?state=broken,complete": 20,
    "?outcome=complete": 20,
    "?book=other": 0,
    "?find=RIVER": 20,
    "?find=laptop": 20,
    "?find=zeppelin": 0,
    "?build=new": 10,
    "?version=1": 20,
    "?version=2": 0,
    "?since=2026-05-05T00:00:00Z": 0,
}


def test_runs_are_filtered_and_ordered_by_a_figure(filled, editor):
    """A page of an ordered list is a page of the whole, not an ordered page."""
    assert {query: editor.get("/api/runs/" + query).json()["count"] for query in RUNS_OF} == RUNS_OF
    for key in ("mean_ms", "-mean_ms", "frames,-mean_ms"):
        pages = [editor.get("/api/runs/", {"ordering": key, "page_size": 7, "page": n}).json() for n in (1, 2, 3)]
        means = [run["mean_ms"] for page in pages for run in page["results"]]
        assert (len(means), means) == (20, sorted(means, reverse="-" in key))


@pytest.mark.parametrize(
    "path",
    [
        ENTRIES + "?verdict=excellent", ENTRIES + "?ordering=why", ENTRIES + "?since=yesterday",
        ENTRIES + "?find=" + "x" * 201, "/api/runs/?state=lost", "/api/runs/?ordering=head",
        "/api/books/river/recordings/?state=lost",
    ],
)  # fmt: skip
def test_a_filter_that_is_none_is_refused(path, editor):
    answer = editor.get(path)
    assert (answer.status_code, answer.json()["code"]) == (400, "invalid")


def test_a_run_tells_where_it_serves_and_hides_its_machine(filled, editor):
    entry = editor.get(f"{ENTRIES}1/").json()
    run = editor.get(f"/api/runs/{entry['dots'][4]['run']}/").json()
    assert run["used_in"] == [
        {"entry": 1, "title": "Sparks from a table", "arm": entry["dots"][4]["arm"], "position": 4}
    ]
    assert run["conditions"] == {"build": "release", "window": "1600x900"}
    assert run["lanes"] == [{"name": "gpu", "role": "graphics"}]
    assert run["budget_ms"] == pytest.approx(1000 / 60)
    assert [leg["name"] for leg in run["legs"]] == ["landing stage"]
    rows = {row["name"]: row for row in run["rows"]}
    assert float(rows["mean_ms"]["value"]) == pytest.approx(run["mean_ms"], abs=0.006)


def test_a_crashed_run_keeps_the_end_of_its_output(recorder, editor):
    registered = recording()
    recorder.post("/api/recordings/", registered)
    slot = registered["slots"][0]
    body = run_body(registered, slot, outcome="crashed", head=None, detail="ended by SIGSEGV", output_tail="no river\n")
    assert recorder.put(f"/api/runs/{slot['run']}/", body).json()["state"] == "broken"
    run = editor.get(f"/api/runs/{slot['run']}/").json()
    assert (run["outcome"], run["detail"], run["output_tail"]) == ("crashed", "ended by SIGSEGV", "no river\n")
    assert editor.get(f"/api/runs/{slot['run']}/trace/").status_code == 422
    assert editor.get(f"/api/runs/{slot['run']}/frames/").status_code == 422
    assert put_batch(recorder, slot["run"], 0, b"[1,1,1]\n").json()["code"] == "run-closed"


@pytest.mark.parametrize(
    "change",
    [
        {"slots": []},
        {"plan": {"scenario": {}}},
        {"order_seed": "seven"},
        {"order_seed": 2**63},
        {"rig": {"alias": "a" * 81, "facts": {}}},
        {"plan": {"scenario": {"name": "n" * 161}}},
        {
            "slots": [
                {"position": 1, "arm": "before", "run": "00000000-0000-4000-8000-000000000001", "outcome": "complete"}
            ]
        },
        {
            "slots": [
                {"position": 0, "arm": "middle", "run": "00000000-0000-4000-8000-000000000001", "outcome": "complete"}
            ]
        },
    ],
)
def test_bad_recordings_are_refused(change, recorder):
    answer = recorder.post("/api/recordings/", recording(**change))
    assert (answer.status_code, answer.json()["code"]) in ((400, "invalid"), (422, "plan-invalid"))


def test_a_plan_that_cannot_judge_is_refused(recorder):
    registered = recording()
    registered["plan"] = {**registered["plan"], "policy": {"primaries": ["fastness"]}}
    answer = recorder.post("/api/recordings/", registered)
    assert (answer.status_code, answer.json()["code"]) == (422, "plan-invalid")


def test_runs_of_two_versions_or_rigs_are_void_together(recorder, editor):
    first, second = recording(), recording()
    second["plan"] = {**second["plan"], "scenario": {**second["plan"]["scenario"], "duration_s": 9}}
    second["rig"] = {"alias": "handheld", "facts": {"cores": "4"}}
    for registered in (first, second):
        deliver(recorder, registered, {"before": 12.0, "after": 12.0}, frames=100)

    def runs(registered, arm):
        return [s["run"] for s in registered["slots"] if s["arm"] == arm]

    made = compared(editor, {"title": "x", "before": runs(first, "before"), "after": runs(second, "after")}).json()
    assert made["verdict"] == "void"
    void = [f["code"] for f in made["result"]["findings"] if f["severity"] == "void"]
    assert sorted(void) == ["conditions-differ", "scenario-versions-differ"]
    assert made["saved"] == made["spent"] == ""
    assert made["mean"] is None


def test_a_broken_run_enters_no_arm(recorder, editor):
    registered = recording()
    deliver(recorder, registered, {"before": 12.0, "after": 12.0}, frames=60)
    from vigilant.server.runs.models import Run

    runs = [s["run"] for s in registered["slots"]]
    Run.objects.filter(pk=runs[0]).update(state="broken")
    answer = compared(editor, {"title": "x", "before": runs[:5], "after": runs[5:]})
    assert (answer.status_code, answer.json()["code"]) == (422, "run-not-complete")


def test_books_of_others_are_not_listed(people, filled):
    other = Book.objects.create(slug="other", name="Other")
    Member.objects.create(book=other, user=people["reader"], role="owner")
    client = APIClient()
    client.force_login(people["reader"])
    assert [(b["slug"], b["role"]) for b in client.get("/api/session/").json()["books"]] == [
        ("other", "owner"),
        ("river", "reader"),
    ]
    assert client.get("/api/books/other/standing/").json()["sentence"] == "Nothing is recorded yet."
    client.delete("/api/session/")
    assert client.get("/api/session/").status_code == 401


def test_the_admin_shows_a_token_once_and_stores_its_hash(client, django_user_model, book):
    from vigilant.server.books.models import RecorderToken

    client.force_login(django_user_model.objects.create_superuser("mira"))
    page = client.post(
        "/admin/books/recordertoken/add/", {"book": book.pk, "label": "bench", "scope": "deliver"}, follow=True
    )
    text = page.content.decode().split("shown this once: ")[1].split("<")[0].strip()
    token = RecorderToken.objects.latest("pk")
    assert token.hash == RecorderToken.digest(text)
    assert text not in client.get("/admin/books/recordertoken/").content.decode()
    client.post("/admin/books/recordertoken/", {"action": "revoke", "_selected_action": [token.pk]})
    token.refresh_from_db()
    assert token.revoked_at is not None


@pytest.mark.parametrize(
    ("numbers", "beside"),
    [
        ((4, 5), {3: (2, 4), 4: (3, 5), 5: (4, None)}),
        ((7, 9), {3: (2, 7), 7: (3, 9), 9: (7, None)}),  # numbers between them are gone
    ],
)
def test_an_entry_leads_to_those_beside_it(filled, editor, numbers, beside):
    for number in numbers:
        Entry.objects.create(book=filled, number=number, title=f"Change {number}")
    other = Book.objects.create(slug="sea", name="Sea")
    Entry.objects.create(book=other, number=6, title="Of another book")
    for number, expected in beside.items():
        entry = editor.get(f"{ENTRIES}{number}/").json()
        assert (entry["previous"], entry["next"]) == expected


def test_an_entry_whole_takes_no_more_than_these_queries(filled, editor):
    counts = []
    for number in (1, 2):
        with CaptureQueriesContext(connection) as asked:
            assert editor.get(f"{ENTRIES}{number}/").status_code == 200
        counts.append(len(asked))
    assert max(counts) <= 21
