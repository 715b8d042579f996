"""Files are sent in pieces, looked at, read as is said, and become runs and an entry; what is in doubt becomes nothing."""

import gzip
import io
import json
import uuid
import zipfile
from datetime import timedelta

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from core.generators import ordinary
from django.utils import timezone
from rest_framework.test import APIClient

from server.delivering import HEAD, digest_of, lines
from vigilant.server.books.models import RecorderToken
from vigilant.server.bring.models import BroughtFile, FileRun
from vigilant.server.bring.ordering import Placed, number_in, ordered
from vigilant.server.entries.models import Entry
from vigilant.server.problems import Problem
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import read_series

pytestmark = pytest.mark.django_db
RIVER = "/api/books/river/"
FILES = f"{RIVER}files/"


def pond(level, seed, frames=400):
    """The mock of every recorder: a preamble, decimal commas, a second clock, legs and a lane."""
    frame_ms = np.round(ordinary(np.random.default_rng(seed), frames, level), 3)
    stamps = np.cumsum(frame_ms) / 1000
    rows = [
        f"{t:.6f};{x * 1000:.0f};{'open water' if i < 200 else 'under the bridge'};{x / 2:.3f}".replace(".", ",")
        for i, (t, x) in enumerate(zip(stamps, frame_ms, strict=True))
    ]
    text = "Pond recorder; 4 May, evening\ntime_s;duration (us);stage;gpu_ms\n" + "\n".join(rows) + "\n"
    return text.encode(), frame_ms


def announce(client, name, size, **more):
    made = client.post(FILES, {"id": str(uuid.uuid4()), "name": name, "size": size, **more}, format="json")
    assert made.status_code == 201, made.json()
    return made.json()["id"]


def put(client, file, number, body, digest=None):
    return client.put(
        f"{FILES}{file}/pieces/{number}/", body, content_type="application/octet-stream",
        headers={"Content-Digest": digest or digest_of(body)},
    )  # fmt: skip


def send(client, name, body, **more):
    """A file as the server has seen it."""
    file = announce(client, name, len(body), **more)
    assert put(client, file, 0, body).status_code == 201
    return client.get(f"{FILES}{file}/").json()


def say(client, file, said):
    return client.post(f"{FILES}reading/", {"files": [file], **said}, format="json")


def bring(client, files, **more):
    asked = {"files": files, "scenario": "Pond at dusk", "target_fps": 60, "rig": "thin laptop", **more}
    return client.post(f"{RIVER}bring/", asked, format="json")


def five_and_five(client, make=pond, name="{arm}_pond_{i}.csv"):
    """Ten files, and what each is."""
    files, frames = [], {}
    for seed in range(10):
        arm, level = (("before", 16.0), ("after", 14.0))[seed % 2]
        body, frame_ms = make(level, seed)
        seen = send(client, name.format(arm=arm, i=seed), body)
        files.append({"file": seen["id"], "arm": arm, "build": {"before": "olden", "after": "newer"}[arm]})
        frames[seen["id"]] = (body, frame_ms)
    return files, frames


def test_files_of_an_everyday_making_become_runs_and_an_entry(editor, people):
    files, frames = five_and_five(editor)
    look = editor.get(f"{FILES}{files[0]['file']}/").json()["look"]
    assert {c["name"]: (c["is"], c["unit"], c["role"], c["doubt"]) for c in look["columns"]} == {
        "time_s": ("stamps", "s", "", ""), "duration (us)": ("times", "us", "", ""),
        "stage": ("leg", "", "", ""), "gpu_ms": ("lane", "ms", "graphics", ""),
    }  # fmt: skip
    assert look["said"] == "the second clock, time_s, agrees within 0.01 %"
    assert look["runs"][0]["frames"] == 400
    assert look["first_lines"][0] == "Pond recorder; 4 May, evening"
    job = bring(editor, files, title="The pond at dusk", order="number", conditions={"window": "1600x900"}).json()
    assert job["state"] == "done", job
    assert job["result"]["verdict"] == "gain"
    entry = editor.get(f"{RIVER}entries/{job['result']['number']}/").json()
    assert entry["after_the_fact"] is True
    for given in FileRun.objects.select_related("run"):
        body, frame_ms = frames[str(given.file_id)]
        series = read_series(given.run)
        assert series.frame_ms.tolist() == (np.round(frame_ms * 1000) * 1e-3).tolist()
        assert [m.name for m in series.marks] == ["open water", "under the bridge"]
        assert (series.lane_roles, dict(series.conditions)) == ({"gpu_ms": "graphics"}, {"window": "1600x900"})
        assert series.stated_s == pytest.approx(series.frame_ms.sum() / 1000, rel=1e-4)
        answer = editor.get(f"{FILES}{given.file_id}/content/")
        assert b"".join(answer.streaming_content) == body
    shown = editor.get(f"/api/runs/{given.run_id}/").json()["from_file"]
    assert (shown["name"], shown["left_out"]) == (given.file.name, [])
    assert shown["sha256"] == given.file.sha256 != ""
    assert editor.get(FILES).json() == []


def test_all_kinds_of_files_mean_the_same_run(editor):
    body, frame_ms = pond(16.0, 1)
    table = pa.table({"frame_ms": frame_ms, "gpu_ms": frame_ms / 2})
    sink, arrow = io.BytesIO(), io.BytesIO()
    pq.write_table(table, sink)
    with pa.ipc.new_file(arrow, table.schema) as out:
        out.write_table(table)
    rows = [{"frame_ms": x, "gpu_ms": x / 2} for x in frame_ms.tolist()]
    stream = json.dumps({**HEAD, "columns": ["frame", "gpu"]}).encode() + b"\n" + lines(frame_ms)
    kinds = {
        "a.parquet": sink.getvalue(), "b.arrow": arrow.getvalue(), "c.json": json.dumps(rows).encode(),
        "d.jsonl.gz": gzip.compress("\n".join(map(json.dumps, rows)).encode()), "e.jsonl": stream, "f.csv": body,
    }  # fmt: skip
    files = [{"file": send(editor, name, content)["id"]} for name, content in kinds.items()]
    job = bring(editor, files).json()
    assert job["state"] == "done", job
    assert job["result"] is None  # no entry was asked for
    found = [read_series(run).frame_ms for run in Run.objects.all()]
    assert len(found) == 6
    for series in found:
        assert series == pytest.approx(frame_ms, rel=1e-12)
    assert Run.objects.filter(head__isnull=False).get().conditions.facts["build"] == "release"


def test_pieces_are_taken_in_order_and_once(editor):
    body = pond(16.0, 1)[0]
    first, second = body[:1000], body[1000:]
    file = announce(editor, "pond.csv", len(body))
    again = editor.post(FILES, {"id": file, "name": "pond.csv", "size": len(body)}, format="json")
    assert (again.status_code, again.json()["id"]) == (200, file)
    assert editor.post(FILES, {"id": file, "name": "other.csv", "size": 5}, format="json").status_code == 409
    gap = put(editor, file, 1, second)
    assert (gap.status_code, gap.json()["code"], gap.json()["expected"]) == (409, "piece-gap", 0)
    assert put(editor, file, 0, first, digest_of(b"else")).json()["code"] == "digest-differs"
    assert put(editor, file, 0, b"").json()["code"] == "piece-empty"
    assert put(editor, file, 0, first).status_code == 201
    assert put(editor, file, 0, first).status_code == 200
    assert put(editor, file, 0, second).json()["code"] == "piece-differs"
    assert put(editor, file, 1, second + b"x").json()["code"] == "file-longer"
    assert editor.get(f"{FILES}{file}/content/").json()["code"] == "file-not-whole"
    assert bring(editor, [{"file": file}]).json()["code"] == "file-not-seen"
    # Cut off, and gone on with where it stands.
    stands = editor.get(f"{FILES}{file}/").json()
    assert (stands["state"], stands["next_piece"], stands["received"]) == ("receiving", 1, 1000)
    assert put(editor, file, 1, second).json()["state"] == "seen"
    assert put(editor, file, 2, b"more").json()["code"] == "file-closed"


def test_what_is_in_doubt_is_brought_in_only_once_it_is_said(editor):
    frame_ms = pond(16.0, 1)[1]
    body = ("frame_ms,river_ms\n" + "".join(f"{x},{x / 2}\n" for x in frame_ms)).encode()
    seen = send(editor, "river.csv", body)
    assert [c["doubt"] for c in seen["look"]["columns"]] == ["", "its role: whose time it is"]
    assert bring(editor, [{"file": seen["id"]}]).json()["code"] == "reading-doubtful"
    columns = {"frame_ms": {"is": "times", "unit": "ms"}, "river_ms": {"is": "lane", "unit": "ms", "role": "processor"}}
    said = {"reading": {"columns": columns}}
    assert say(editor, seen["id"], said).status_code == 202
    assert bring(editor, [{"file": seen["id"]}]).json()["state"] == "done"
    assert read_series(Run.objects.get()).lane_roles == {"river_ms": "processor"}
    assert bring(editor, [{"file": seen["id"]}]).json()["code"] == "file-brought"
    assert editor.delete(f"{FILES}{seen['id']}/").json()["code"] == "file-brought"


@pytest.mark.parametrize(
    ("said", "code"),
    [
        ({"reading": {"columns": {"t": {"is": "times", "unit": "ms"}}}}, "only-rises"),
        ({"reading": {"columns": {"fps": {"is": "times", "unit": "ms"}}}}, "named-a-rate"),
        ({"reading": {"columns": {"fps": {"is": "rate"}}}}, "rate-displayed"),
        ({"reading": {"columns": {"gone": {"is": "times", "unit": "ms"}}}}, "reading-unfit"),
        ({"column": "gone"}, "column-unknown"),
    ],
)
def test_what_is_never_right_is_refused_whoever_says_so(editor, said, code):
    rows = "".join(f"{16.5 * i},{60 + i % 2}\n" for i in range(40))
    file = send(editor, "t.csv", f"t,fps\n{rows}".encode())["id"]
    say(editor, file, said)
    seen = editor.get(f"{FILES}{file}/").json()
    assert (seen["state"], seen["problem"]["code"]) == ("refused", code)
    assert bring(editor, [{"file": file}]).json()["code"] == "file-not-seen"


@pytest.mark.parametrize(
    "columns",
    [
        {},
        {"a": {"is": "counter"}},
        {"a": {"is": "times"}},
        {"a": {"is": "times", "unit": "ms"}, "b": {"is": "rate"}},
        {"a": {"is": "times", "unit": "ms"}, "b": {"is": "lane", "unit": "ms"}},
        {"a": {"is": "times", "unit": "ms"}, "b": {"is": "leg"}, "c": {"is": "leg"}},
    ],
)
def test_a_reading_that_means_nothing_is_refused_where_it_is_said(editor, columns):
    file = send(editor, "a.csv", b"a,b,c\n16,17,18\n16,17,18\n")["id"]
    answer = say(editor, file, {"reading": {"columns": columns}})
    assert (answer.status_code, answer.json()["code"]) == (422, "reading-invalid")


def test_one_file_counts_once(editor):
    body = pond(16.0, 1)[0]
    one, copy = send(editor, "a.csv", body)["id"], send(editor, "b.csv", body)["id"]
    assert bring(editor, [{"file": one}, {"file": one}]).json()["code"] == "file-twice"
    assert bring(editor, [{"file": one}, {"file": copy}]).json()["code"] == "file-twice"
    asked = [{"file": one, "arm": "before"}]
    assert bring(editor, asked, title="No second arm").json()["code"] == "arm-empty"
    other = send(editor, "c.csv", pond(14.0, 2)[0])["id"]
    both = [{"file": one, "arm": "before"}, {"file": other, "arm": "after"}]
    assert bring(editor, both, title="No number", order="number").json()["code"] == "order-unknown"
    broken = send(editor, "d.jsonl", (json.dumps({**HEAD, "columns": ["frame", "gpu"]}) + "\n[16.5,8,3]\n").encode())[
        "id"
    ]
    asked = [{"file": one, "arm": "before"}, {"file": broken, "arm": "after"}]
    assert bring(editor, asked, title="A broken one").json()["code"] == "arm-empty"
    assert bring(editor, [{"file": str(uuid.uuid4())}]).json()["code"] == "file-unknown"
    assert not Run.objects.exists()


def test_an_archive_stands_for_its_files(editor):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("olden/pond 1.csv", pond(16.0, 1)[0])
        archive.writestr("newer/pond 1.csv", pond(14.0, 2)[0])
        archive.writestr("newer/.hidden", b"x")
    whole = send(editor, "ponds.zip", packed.getvalue())
    assert whole["state"] == "unpacked"
    files = editor.get(FILES).json()
    assert [(f["folder"], f["name"], f["state"]) for f in files] == [
        ("ponds.zip/newer", "pond 1.csv", "seen"), ("ponds.zip/olden", "pond 1.csv", "seen"),
    ]  # fmt: skip
    broken = send(editor, "broken.zip", packed.getvalue()[:-200] + packed.getvalue()[-150:])
    assert broken["state"] == "refused"


def test_a_reading_that_was_saved_is_known_again(editor):
    columns = {"dt": {"is": "times", "unit": "us"}, "what": {"is": "leg"}}
    kept = editor.post(f"{RIVER}readings/", {"name": "pond recorder", "columns": columns}, format="json")
    assert kept.json()["document"] == {"vigilant_reading": 1, "name": "pond recorder", "columns": columns}
    body = "dt,what,more\n" + "".join(f"{16000 + i % 5},{'lock' if i < 30 else 'weir'},{i % 3}\n" for i in range(60))
    look = send(editor, "known.csv", body.encode())["look"]
    assert (look["recognised"], [c["is"] for c in look["columns"]]) == ("pond recorder", ["times", "leg", "left out"])
    assert look["runs"][0]["legs"] == ["lock", "weir"]
    assert [r["name"] for r in editor.get(f"{RIVER}readings/").json()] == ["pond recorder"]


def test_two_runs_in_a_file_and_arms_that_it_names_itself(editor):
    rows = "".join(
        f"{arm},{run},{level + ((i * 7 + run) % 13) / 10}\n"
        for run in range(5) for arm, level in (("before", 16), ("after", 13)) for i in range(120)
    )  # fmt: skip
    seen = send(editor, "all.csv", f"arm,run,frame_ms\n{rows}".encode())
    assert [(r["arm"], r["name"]) for r in seen["look"]["runs"][:3]] == [
        ("before", "0"),
        ("after", "0"),
        ("before", "1"),
    ]
    job = bring(editor, [{"file": seen["id"]}], title="Five pairs", order="listed").json()
    assert job["result"]["verdict"] == "gain", job
    assert editor.get(f"{RIVER}entries/1/").json()["result"]["design"] != "order-unknown"


def test_what_stops_half_way_leaves_no_half(editor, monkeypatch):
    from vigilant.server.bring import bringing

    file = send(editor, "a.csv", pond(16.0, 1)[0])["id"]
    monkeypatch.setattr(bringing, "keep_read_run", lambda *_: 1 / 0)
    monkeypatch.setattr("vigilant.server.jobs.services.MOST_ATTEMPTS", 1)
    assert bring(editor, [{"file": file}]).json()["state"] == "failed"
    assert (Run.objects.count(), BroughtFile.objects.get().state) == (0, "seen")


def test_a_file_whose_looking_was_given_up_says_so(editor, monkeypatch):
    from vigilant.server.bring import tasks

    monkeypatch.setattr("vigilant.server.jobs.services.MOST_ATTEMPTS", 1)
    monkeypatch.setattr("vigilant.server.bring.looking.on_disk", lambda _: 1 / 0)
    file = send(editor, "a.csv", pond(16.0, 1)[0])
    assert file["state"] == "looking"
    tasks.unseen()
    seen = editor.get(f"{FILES}{file['id']}/").json()
    assert (seen["state"], "given up after 1" in seen["problem"]["detail"].lower()) == ("refused", True), seen[
        "problem"
    ]


def test_a_file_that_waits_without_a_job_is_looked_at_once_more(editor):
    from vigilant.server.bring import tasks

    file = send(editor, "a.csv", pond(16.0, 1)[0])
    BroughtFile.objects.update(state=BroughtFile.State.LOOKING)  # its job ended before it was asked for otherwise
    tasks.unseen()
    assert editor.get(f"{FILES}{file['id']}/").json()["state"] == "seen"


def test_what_nobody_brings_in_is_forgotten_after_a_month_and_what_runs_rest_on_is_not(editor):
    from vigilant.server.bring import tasks

    kept, left, new = (send(editor, f"{i}.csv", pond(16.0, i)[0])["id"] for i in range(3))
    bring(editor, [{"file": kept}])
    BroughtFile.objects.filter(pk__in=[kept, left]).update(created_at=timezone.now() - timedelta(days=31))
    tasks.forgotten()
    assert {str(pk) for pk in BroughtFile.objects.values_list("pk", flat=True)} == {kept, new}


def test_a_scenario_with_another_target_is_not_changed(editor):
    first, second = (send(editor, f"{i}.csv", pond(16.0, i)[0])["id"] for i in (1, 2))
    assert bring(editor, [{"file": first}]).json()["state"] == "done"
    assert bring(editor, [{"file": second}], target_fps=30).json()["code"] == "target-differs"
    assert bring(editor, [{"file": second}], target_fps=None).json()["state"] == "done"
    assert Run.objects.values("scenario_version").distinct().count() == 1


def test_who_may_bring(people, recorder, book, editor):
    reader = APIClient()
    reader.force_login(people["reader"])
    body = {"id": str(uuid.uuid4()), "name": "a.csv", "size": 5}
    assert reader.post(FILES, body, format="json").status_code == 403
    looker = APIClient()
    scope = RecorderToken.Scope
    looker.credentials(HTTP_AUTHORIZATION=f"Bearer {RecorderToken.issue(book, 'l', scope=scope.READ)[1]}")
    assert looker.post(FILES, body, format="json").status_code == 403
    mine = send(recorder, "a.csv", pond(16.0, 1)[0])["id"]
    assert bring(recorder, [{"file": mine}]).json()["state"] == "done"
    others = send(editor, "b.csv", pond(16.0, 2)[0])["id"]
    assert editor.delete(f"{FILES}{others}/").status_code == 204
    assert editor.get(f"{FILES}{others}/").status_code == 404
    assert Entry.objects.count() == 0


@pytest.mark.parametrize(
    ("name", "number"), [("run_07.csv", 7), ("p99_run3.jsonl.gz", 3), ("pond.csv", None), ("2026-05-04 12.csv", 12)]
)
def test_the_number_in_a_name(name, number):
    assert number_in(name) == number


@pytest.mark.parametrize(
    ("by", "runs", "order"),
    [
        ("unknown", [("before", "a1"), ("after", "a2")], None),
        ("listed", [("after", "x"), ("before", "y")], ["after", "before"]),
        ("number", [("before", "a 2"), ("after", "a 10"), ("after", "a 1")], ["after", "before", "after"]),
        ("recorded", [("before", "a", "2026-05-04T18:31:00Z"), ("after", "b", "2026-05-04T18:30:00Z")], ["after", "before"]),
    ],
)  # fmt: skip
def test_the_order_of_files(by, runs, order):
    assert ordered({i: Placed(*run) for i, run in enumerate(runs)}, by)[1] == order


@pytest.mark.parametrize(
    ("by", "runs"),
    [
        ("number", [("before", "a 1"), ("after", "b 1")]),
        ("number", [("before", "a"), ("after", "b 1")]),
        ("recorded", [("before", "a"), ("after", "b")]),
        ("recorded", [("before", "a", "2026-05-04T18:30:00Z"), ("after", "b", "2026-05-04T18:30:00Z")]),
    ],
)
def test_an_order_that_cannot_be_told_is_not_made_up(by, runs):
    with pytest.raises(Problem) as caught:
        ordered({i: Placed(*run) for i, run in enumerate(runs)}, by)
    assert caught.value.problem_code == "order-unknown"


@pytest.mark.parametrize("kind", ["csv", "json", "parquet", "arrow", "frames"])
def test_a_run_is_taken_out_and_brought_in_again_bit_for_bit(editor, kind):
    file = send(editor, "pond.csv", pond(16.0, 1)[0])["id"]
    bring(editor, [{"file": file}], conditions={"window": "1600x900"})
    was = Run.objects.get()
    answer = editor.get(f"/api/runs/{was.pk}/frames/?as={kind}")
    assert answer.status_code == 200
    body = b"".join(answer.streaming_content) if answer.streaming else answer.content
    seen = send(editor, f"again.{kind}", body)
    assert bring(editor, [{"file": seen["id"]}]).json()["state"] == "done", seen
    one, other = (read_series(run) for run in (was, Run.objects.exclude(pk=was.pk).get()))
    assert one.frame_ms.tobytes() == other.frame_ms.tobytes()
    assert one.lanes["gpu_ms"].tobytes() == other.lanes["gpu_ms"].tobytes()
    assert (one.marks, one.conditions) == (other.marks, other.conditions)
    assert dict(one.lane_roles) == dict(other.lane_roles)
    assert editor.get(f"/api/runs/{was.pk}/frames/?as=slides").json()["code"] == "kind-unknown"


def test_readings_at_another_rate_are_laid_along_the_runs_they_fall_into(editor):
    body, _ = pond(16.0, 1)
    file = send(editor, "pond.csv", body)["id"]
    watts = "time_s,power [W]\n" + "".join(f"{i},{20 + i * i % 7}\n" for i in range(1, 9))
    power = send(editor, "power.csv", watts.encode())["id"]
    assert say(editor, power, {"holds": "readings"}).status_code == 202
    look = editor.get(f"{FILES}{power}/").json()["look"]
    assert (look["samples"], look["runs"]) == ({"count": 8, "from_s": 1.0, "to_s": 8.0, "names": ["power [W]"]}, [])
    assert bring(editor, [{"file": power}]).json()["code"] == "no-runs"
    late = send(editor, "late.csv", ("time_s,power [W]\n" + "".join(f"{i},3\n" for i in range(1000, 1020))).encode())[
        "id"
    ]
    say(editor, late, {"holds": "readings"})
    assert bring(editor, [{"file": file}, {"file": late}]).json()["code"] == "beside-nothing"
    assert bring(editor, [{"file": file}, {"file": power}]).json()["state"] == "done"
    series = read_series(Run.objects.get())
    read = series.counters["power [W]"]
    ends = np.cumsum(series.frame_ms) / 1000
    fresh = np.flatnonzero(np.isfinite(read))
    assert read[fresh].tolist() == [20.0 + i * i % 7 for i in range(1, 7)]
    assert ends[fresh] == pytest.approx(range(1, 7), abs=0.05)
    assert sorted(f["name"] for f in editor.get(FILES).json()) == ["late.csv"]


LOG = b"boot\n" + b"".join(b"[%d.0001] drew boats in %dus\n" % (i, 200 + i) for i in range(1, 6))
PATTERN = r"\[(?P<at_s>[\d.]+)\] drew (?P<part>\w+) in (?P<took_us>\d+)us"


def parts_of(editor, run):
    window = editor.get(f"/api/runs/{run.pk}/parts/?start=0&stop={run.frames}").json()
    return [
        ("/".join(window["parts"][p]["path"]), pytest.approx(ms))
        for p, ms in zip(window["part"], window["ms"], strict=True)
    ]


def test_work_by_a_pattern_lies_in_the_frames_and_its_reading_is_known_again(editor):
    body, frame_ms = pond(16.0, 1)
    file, log = send(editor, "pond.csv", body)["id"], send(editor, "pond.log", LOG)["id"]
    say(editor, log, {"holds": "work", "pattern": PATTERN})
    look = editor.get(f"{FILES}{log}/").json()["look"]
    assert (look["holds"], look["pattern"], look["work"]["count"], look["doubt"]) == ("work", PATTERN, 5, "")
    columns = {c["name"]: {k: c[k] for k in ("is", "unit") if c[k]} for c in look["columns"]}
    kept = {"name": "river log", "holds": "work", "pattern": PATTERN, "columns": columns}
    assert editor.post(f"{RIVER}readings/", kept, format="json").status_code == 200
    assert bring(editor, [{"file": file}, {"file": log}]).json()["state"] == "done"
    run = Run.objects.get()
    assert parts_of(editor, run) == [("boats", (200 + i) / 1000) for i in range(1, 6)]
    begins = np.cumsum(frame_ms) / 1000 - frame_ms / 1000
    held = editor.get(f"/api/runs/{run.pk}/parts/?start=0&stop={run.frames}").json()["frame"]
    assert held == [int(np.searchsorted(begins, i + 0.0001, side="right")) - 1 for i in range(1, 6)]
    again = send(editor, "lake.log", LOG + b"[9.0001] drew sails in 5us\n")["id"]
    say(editor, again, {"holds": "work"})
    look = editor.get(f"{FILES}{again}/").json()["look"]
    assert (look["recognised"], look["work"]["count"]) == ("river log", 6)


def test_a_profile_belongs_to_one_run_and_says_its_counting_error(editor):
    files = [{"file": send(editor, f"pond-{i}.csv", pond(16.0, i)[0])["id"]} for i in (1, 2)]
    stacks = b"stack,samples\nriver;wind,30\nriver,70\n"
    any_, own = (send(editor, name, stacks + extra)["id"] for name, extra in (("all.csv", b""), ("pond-2.work.csv", b"sky,0\n")))  # fmt: skip
    for one in (any_, own):
        say(editor, one, {"holds": "work"})
    assert bring(editor, [*files, {"file": any_}]).json()["code"] == "beside-unclear"
    assert bring(editor, [*files, {"file": own}]).json()["state"] == "done"
    first, second = Run.objects.order_by("from_file__file__name")
    assert not read_series(first).parts
    found = {p["path"][-1]: p for p in editor.get(f"/api/runs/{second.pk}/parts/").json()["parts"]}
    total = read_series(second).frame_ms.sum()
    assert found["wind"]["ms"] == pytest.approx(0.3 * total)
    assert found["wind"]["error_ms"] == pytest.approx((0.3 * 0.7 / 100) ** 0.5 * total)


def test_readings_of_runs_that_were_played_at_the_same_time_are_refused(editor):
    files = [{"file": send(editor, f"pond-{i}.csv", pond(16.0, i)[0])["id"]} for i in (1, 2)]
    power = b"time_s,power\n" + b"".join(b"%d,20\n" % i for i in range(1, 6))
    either, own = (send(editor, name, power + extra)["id"] for name, extra in (("power.csv", b""), ("pond-1-power.csv", b"6,21\n")))  # fmt: skip
    for one in (either, own):
        say(editor, one, {"holds": "readings"})
    assert bring(editor, [*files, {"file": either}]).json()["code"] == "beside-unclear"
    assert bring(editor, [*files, {"file": own}]).json()["state"] == "done"
    first, second = Run.objects.order_by("from_file__file__name")
    assert (list(read_series(first).counters), list(read_series(second).counters)) == (["power"], [])
