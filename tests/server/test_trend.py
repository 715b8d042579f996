"""The line over builds on the server: the order of builds, steps, breaks, alarms from the first to what explains them, and the gate."""

import csv
import io

import pytest
from django.contrib.auth import get_user_model
from rest_framework.test import APIClient

from server.lines import builds, followed, line_plan, ordered, page_of, record
from vigilant.server.books.models import LogLine
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Run
from vigilant.server.trend.models import Alarm, BuildPlace

pytestmark = pytest.mark.django_db

FLAT = [12.0] * 12


@pytest.fixture
def reader(people):
    client = APIClient()
    client.force_login(people["reader"])
    return client


@pytest.fixture
def stranger():
    client = APIClient()
    client.force_login(get_user_model().objects.create_user("stranger"))
    return client


def names(book):
    return list(BuildPlace.objects.filter(book=book).values_list("name", flat=True))


# -- the order


@pytest.mark.parametrize(("known", "listed", "whole"), [
    ("", "abc", "abc"), ("abc", "abcd", "abcd"), ("abc", "bd", "abcd"), ("ad", "abcd", "abcd"), ("bc", "abx", "abcx"),
    ("abde", "ace", "abdce"), ("ab", "b", "ab"),
])  # fmt: skip
def test_builds_take_their_place_beside_those_that_have_one(editor, book, known, listed, whole):
    if known:
        assert ordered(editor, book, known).status_code == 201
    answer = ordered(editor, book, listed)
    assert answer.status_code == 201, answer.json()
    assert answer.json() == {"added": len(set(listed) - set(known)), "builds": len(whole)}
    assert "".join(names(book)) == whole


@pytest.mark.parametrize(("listed", "code"), [("ca", "order-differs"), ("xy", "order-apart"), ("aa", "build-twice")])
def test_an_order_that_cannot_be_is_refused_and_nothing_moves(editor, book, listed, code):
    ordered(editor, book, "abc")
    answer = ordered(editor, book, listed)
    assert answer.json()["code"] == code
    assert "".join(names(book)) == "abc"
    if code != "build-twice":
        assert ordered(editor, book, listed, anew=True).status_code == 201
        assert "".join(names(book)) == listed


def test_builds_are_ordered_by_date_and_by_hand(editor, reader, recorder, book):
    dated = [{"name": "x", "made_at": "2026-05-03T08:00:00Z"}, {"name": "y", "made_at": "2026-05-02T23:00:00-05:00"}, {"name": "z", "made_at": "2026-05-01T08:00:00Z"}]  # fmt: skip
    address = f"/api/books/{book.slug}/builds/"
    assert editor.post(address, {"builds": [*dated, {"name": "w"}], "by": "date"}).json()["code"] == "build-undated"
    assert editor.post(address, {"builds": dated, "by": "date"}).status_code == 201
    assert names(book) == ["z", "y", "x"]
    moved = editor.post(f"{address}move/", {"build": "z", "after": "y"})
    assert [one["name"] for one in moved.json()["builds"]] == ["y", "z", "x"]
    assert editor.post(f"{address}move/", {"build": "x", "after": ""}).status_code == 200
    assert names(book) == ["x", "y", "z"]
    for asked, code in (({"build": "q", "after": ""}, "build-unknown"), ({"build": "x", "after": "x"}, "build-after-itself")):  # fmt: skip
        assert editor.post(f"{address}move/", asked).json()["code"] == code
    # A recorder adds to the order, and never sets it anew; who only reads does neither.
    assert ordered(recorder, book, ["z", "later"]).status_code == 201
    assert ordered(recorder, book, ["z"], anew=True).status_code == 403
    assert ordered(reader, book, ["z", "more"]).status_code == 403
    assert names(book) == ["x", "y", "z", "later"]


# -- lines


def test_a_line_has_steps_levels_and_its_runs(editor, book):
    followed(editor, book, [12.0] * 10 + [12.6] * 10)
    page = page_of(editor, book)
    assert page["builds"] == builds(20)
    mean = page["figures"][0]
    assert "from b11 on" in mean["sentence"]
    (step,) = page["drawn"]["steps"]
    assert (step["x"], step["material"], step["worse"]) == (10, True, True)
    assert step["size"].startswith(("+4.", "+5."))
    points = page["drawn"]["points"]
    assert [point["x"] for point in points] == list(range(20))
    assert [point["fresh"] for point in points] == [False] * 18 + [True] * 2
    assert all(len(point["runs"]) == 3 and point["low"] < point["level"] < point["high"] for point in points)
    runs = {str(key) for key in Run.objects.values_list("pk", flat=True)}
    assert {run["run"] for point in points for run in point["runs"]} == runs
    assert any("Sessions of one build differ by" in note for note in page["drawn"]["notes"])
    (event,) = page["events"]
    assert "the mean frame" in event["sentence"]
    assert page["left_out"] == ""


def test_only_runs_of_builds_with_a_place_count_and_what_is_left_out_is_said(editor, book):
    followed(editor, book, FLAT)
    record(book, "nowhere", 20.0, 900)
    record(book, "b03", 12.0, 901, outcomes=["complete", "crashed"], runs=2)
    record(book, "b04", 30.0, 902, conditions={"focus": "lost"})
    page = page_of(editor, book)
    assert "nowhere" not in page["builds"]
    assert page["left_out"] == "Runs left out: 3 of a window that was not in front, 1 broken."
    third = page["drawn"]["points"][2]
    assert (third["sessions"], len(third["runs"])) == (2, 4)
    aside = str(third["runs"][0]["run"])
    editor.post(f"/api/books/{book.slug}/runs/aside/", {"runs": [aside], "aside": True, "why": "A cable was loose."})
    page = page_of(editor, book)
    assert "1 set aside" in page["left_out"]
    assert aside not in {run["run"] for point in page["drawn"]["points"] for run in point["runs"]}


def test_a_change_of_set_up_is_a_break_with_its_reason_and_bridges_join(editor, book):
    followed(editor, book, FLAT)
    later = builds(10, 13)
    ordered(editor, book, ["b12", *later])
    for i, name in enumerate(later):
        record(book, name, 13.2, 300 + i, conditions={"driver": "24.2"}, day=20 + i)
    (apart,) = page_of(editor, book)["drawn"]["breaks"]
    assert (apart["bridged"], apart["reason"]) == (False, "driver 24.1, then 24.2")
    assert "record b12 or b13 on the other side" in apart["sentence"]
    assert page_of(editor, book)["drawn"]["steps"] == []  # a jump at a break is the set-ups', not the program's
    record(book, "b12", 13.2, 400, conditions={"driver": "24.2"}, day=40)
    page = page_of(editor, book)
    (joined,) = page["drawn"]["breaks"]
    assert joined["bridged"]
    assert "Joined by b12, recorded on both" in joined["sentence"]
    assert "No change of the program is shown across" in joined["sentence"]
    early = page["drawn"]["points"][0]
    assert early["level"] / early["measured"] == pytest.approx(1.1, rel=0.02)  # drawn where the new set-up has it
    assert page["builds"] == builds(22)


def test_another_version_of_the_scenario_is_never_bridged(editor, book):
    followed(editor, book, FLAT)
    for i, name in enumerate(["b12", *builds(8, 13)]):
        ordered(editor, book, ["b12", name]) if name != "b12" else None
        record(book, name, 12.0, 500 + i, plan=line_plan(name, duration_s=6), day=20 + i)
    (apart,) = page_of(editor, book)["drawn"]["breaks"]
    assert (apart["bridged"], apart["reason"]) == (False, "version of the scenario 1, then 2")
    assert "To join them" not in apart["sentence"]


def test_set_ups_recorded_side_by_side_are_lines_of_their_own(editor, book):
    ordered(editor, book, builds(9))
    for i, name in enumerate(builds(9)):
        record(book, name, 12.0, 600 + i, conditions={"tier": "low"})
        record(book, name, 16.0, 700 + i, conditions={"tier": "high"})
    lines = editor.get(f"/api/books/{book.slug}/trend/").json()["lines"]
    assert [(line["chain"], line["builds"]) for line in lines] == [(0, 9), (1, 9)]
    assert {round(line["small"][0]["value"]) for line in lines} == {12, 16}
    assert [other["chain"] for other in page_of(editor, book, chain=1)["others"]] == [0]


def test_an_event_names_the_rigs_that_show_it(editor, book):
    levels = [12.0] * 10 + [12.6] * 10
    followed(editor, book, levels)
    for i, (name, level) in enumerate(zip(builds(20), [9.0] * 20, strict=True)):
        record(book, name, level, 2000 + i, rig="handheld")
    (event,) = page_of(editor, book, rig=1)["events"]
    assert event["elsewhere"].startswith("Seen on 1 of 2 rigs: thin laptop; not on handheld: ")
    assert event["elsewhere"].endswith(" at most.")


def test_a_figure_that_has_no_line_says_so(editor, book):
    ordered(editor, book, builds(3))
    for i, name in enumerate(builds(3)):
        record(book, name, 12.0, i, plan={**line_plan(name), "policy": {"primaries": ["mean_ms", "p99_ms"]}})
    page = page_of(editor, book, figure="worst_ms")
    assert page["unfollowed"].startswith("99th percentile: no line is made of it")
    assert [one["figure"] for one in page["figures"]] == ["mean_ms"]
    assert "levels only" in page["figures"][0]["sentence"]
    assert page["figures"][0]["now"] == "b03 is held against nothing: fewer than eight builds are before it."
    assert (page["drawn"]["figure"], page["drawn"]["points"][0]["low"]) == ("worst_ms", None)


def test_a_line_is_taken_out_as_a_table(editor, book):
    followed(editor, book, [12.0] * 10 + [12.6] * 8)
    of = editor.get(f"/api/books/{book.slug}/trend/").json()["lines"][0]
    address = f"/api/books/{book.slug}/trend/{of['scenario']['id']}/{of['rig_id']}/taken-out/"
    rows = list(csv.DictReader(io.StringIO(editor.get(address).content.decode())))
    mean = [row for row in rows if row["figure"] == "mean_ms"]
    assert [row["build"] for row in mean] == builds(18)
    assert [row["build"] for row in mean if row["step_begins"] == "True"] == ["b11"]
    again = editor.get(address, {"as": "json"}).json()
    assert again[0]["value"] == float(mean[0]["value"])
    assert editor.get(address, {"as": "xml"}).status_code == 400


# -- alarms


def only_alarm():
    (alarm,) = Alarm.objects.all()
    return alarm


def test_one_step_makes_one_alarm_that_stays_until_it_is_explained(editor, reader, book):
    followed(editor, book, [*FLAT, 13.2])
    alarm = only_alarm()
    assert (alarm.build, alarm.state) == ("b13", "asked")
    standing = editor.get(f"/api/books/{book.slug}/standing/").json()
    assert standing["questions"] == ""  # nothing else is open
    (told,) = standing["alarms"]
    assert told["sentence"].startswith("b13 is worse than its line: the mean frame +1")
    assert told["stands"] == "Record b13 again in another session: that confirms it or takes it back."
    again = editor.get(f"/api/recordings/{told['like']}/plan/").json()["plan"]
    assert (again["line"], [arm["name"] for arm in again["arm"]]) == ({"build": "b13"}, ["b13"])
    planned = editor.post(f"/api/books/{book.slug}/recordings/", {"plan": again})
    assert (planned.status_code, planned.json()["account"], planned.json()["entry"]) == (201, "line", None)
    ordered(editor, book, ["b13", "b14", "b15"])
    record(book, "b13", 13.2, 800, day=30)
    assert (only_alarm().state, only_alarm().figures[0]["sessions"]) == ("confirmed", 2)
    record(book, "b14", 13.2, 801, day=31)
    record(book, "b15", 12.0, 802, day=32)
    alarm = only_alarm()
    assert [(row["build"], bool(row["still"])) for row in alarm.later] == [("b14", True), ("b15", False)]
    address = f"/api/books/{book.slug}/alarms/{alarm.pk}/"
    assert editor.get(address).json()["stands"] == "A second session says so too. Still there in b14. Not in b15."
    assert reader.post(f"{address}explained/", {"why": "no"}).status_code == 403
    assert editor.post(f"{address}explained/", {"why": "  "}).status_code in (400, 422)
    done = editor.post(f"{address}explained/", {"why": "Boats meet twice as often."}).json()
    assert (done["state"], done["open"], done["why"]) == ("explained", False, "Boats meet twice as often.")
    assert editor.post(f"{address}explained/", {"why": "again"}).json()["code"] == "alarm-closed"
    assert editor.get(f"/api/books/{book.slug}/standing/").json()["alarms"] == []
    assert {"alarm", "alarm explained"} <= set(LogLine.objects.values_list("what", flat=True))


def test_a_second_session_that_does_not_say_so_withdraws_an_alarm(editor, book):
    followed(editor, book, [*FLAT, 12.5])
    assert only_alarm().state == "asked"
    record(book, "b13", 11.6, 850, day=30)
    alarm = only_alarm()
    assert alarm.state == "withdrawn"
    page = page_of(editor, book)
    assert page["alarms"][0]["stands"] == "With a second session it is within what sessions differ by."
    assert not page["alarms"][0]["open"]


def test_an_explained_level_raises_no_second_alarm_and_another_step_does(editor, book):
    followed(editor, book, [*FLAT, 13.2])
    editor.post(f"/api/books/{book.slug}/alarms/{only_alarm().pk}/explained/", {"why": "It draws twice."})
    later = builds(6, 14)
    ordered(editor, book, ["b13", *later])
    for i, name in enumerate(later):
        record(book, name, 13.2, 870 + i, day=30 + i)
    assert Alarm.objects.count() == 1
    ordered(editor, book, ["b19", "b20"])
    record(book, "b20", 14.6, 890, day=50)
    assert [a.build for a in Alarm.objects.all()] == ["b20", "b13"]


def test_a_build_that_is_not_the_newest_raises_nothing_and_reading_twice_changes_nothing(editor, recorder, book):
    followed(editor, book, FLAT)
    ordered(editor, book, ["b05", "between", "b06"])
    made = record(book, "between", 14.0, 910)
    assert not Alarm.objects.exists()
    ordered(editor, book, ["b12", "b13"])
    made = record(book, "b13", 13.2, 911, day=40)
    before = list(Alarm.objects.values())
    for _ in range(2):
        answer = recorder.post(f"/api/recordings/{made.pk}/line/", {})
        assert answer.status_code == 200, answer.json()
        assert (answer.json()["worse"], answer.json()["placed"], len(answer.json()["alarms"])) == (True, True, 1)
    assert list(Alarm.objects.values()) == before


def test_a_better_build_is_announced_too(editor, book):
    made = followed(editor, book, [*FLAT, 10.9])
    assert only_alarm().figures[0]["worse"] is False
    assert made is not None
    assert editor.post(f"/api/recordings/{made.pk}/line/", {}).json()["worse"] is False


def test_an_alarm_becomes_an_entry_once(editor, book):
    followed(editor, book, [*FLAT, 13.2])
    address = f"/api/books/{book.slug}/alarms/{only_alarm().pk}/entry/"
    first, again = (editor.post(address, {}).json() for _ in range(2))
    assert first["entry"] == again["entry"]
    entry = Entry.objects.get()
    assert (entry.number, entry.title) == (first["entry"], "What made b13 worse?")
    assert entry.why.startswith("River course on thin laptop: b13 is worse than its line")
    assert only_alarm().state == "asked"  # an entry looks into it; it does not explain it


def test_how_closely_a_scenario_is_followed_is_set_with_bounds(editor, reader, book):
    followed(editor, book, FLAT)
    scenario = page_of(editor, book)["scenario"]["id"]
    address = f"/api/books/{book.slug}/scenarios/{scenario}/following/"
    assert editor.get(address).json() == {"false_alarm_in": 200, "recheck_days": None}
    for bad in ({"false_alarm_in": 20, "recheck_days": None}, {"false_alarm_in": 200, "recheck_days": 0}, {"false_alarm_in": 2000, "recheck_days": 3}):  # fmt: skip
        assert editor.put(address, bad).status_code == 400
    assert reader.put(address, {"false_alarm_in": 50, "recheck_days": 7}).status_code == 403
    assert editor.put(address, {"false_alarm_in": 50, "recheck_days": 7}).status_code == 200
    assert "One false alarm in 50 builds" in page_of(editor, book)["rate"]
    standing = editor.get(f"/api/books/{book.slug}/standing/").json()
    assert standing["rechecks"][0]["short"] == "overdue since 2026-05-22"
    assert standing["rechecks"][0]["sentence"] == "Last recorded on 2026-05-15, to be recorded every 7 days: overdue since 2026-05-22."  # fmt: skip


# -- the gate


@pytest.mark.parametrize(("level", "verdict"), [(13.6, "regression"), (10.6, "gain"), (12.0, "no material change")])
def test_the_gate_holds_a_build_against_its_line(editor, recorder, book, level, verdict):
    followed(editor, book, FLAT * 2, runs=8)
    # A build that has no place yet is the newest.
    plan = {**line_plan("b25"), "policy": {"primaries": ["mean_ms"]}} if verdict == "no material change" else None
    made = record(book, "b25", level, 950, runs=8, day=40, plan=plan)
    found = recorder.post(f"/api/recordings/{made.pk}/gate/", {"alpha": 0.05})
    assert found.status_code == 200, found.json()
    if verdict == "no material change":  # its policy makes another version of the scenario: that has no line
        assert (found.json()["verdict"], found.json()["findings"][0]["code"]) == ("void", "set-up-differs")
        made = record(book, "b26", level, 951, runs=8, day=41)
        found = recorder.post(f"/api/recordings/{made.pk}/gate/", {})
        assert found.json()["verdict"] in ("no material change", "undecided")
        assert found.json()["rows"][0]["inside"]
    else:
        assert found.json()["verdict"] == verdict
    assert found.json()["false_failure"] == "One build in 20 fails falsely where nothing changed."


def test_the_gate_says_why_it_cannot_judge(editor, recorder, book):
    short = followed(editor, book, [12.0] * 5)
    found = recorder.post(f"/api/recordings/{short.pk}/gate/", {}).json()
    assert (found["verdict"], [f["code"] for f in found["findings"]]) == ("undecided", ["session-spread-unknown"])
    elsewhere = record(book, "b06", 12.0, 960, conditions={"driver": "25.0"})
    found = recorder.post(f"/api/recordings/{elsewhere.pk}/gate/", {}).json()
    assert (found["verdict"], [f["code"] for f in found["findings"]]) == ("void", ["set-up-differs"])
    for bad in ({"alpha": 0}, {"alpha": 1}, {"alpha": "x"}):
        assert recorder.post(f"/api/recordings/{short.pk}/gate/", bad).status_code == 400


def test_an_open_alarm_keeps_the_gate_at_the_level_before_it(editor, recorder, book):
    followed(editor, book, [*FLAT, 13.4], runs=5)
    ordered(editor, book, ["b13", "b14"])
    made = record(book, "b14", 13.4, 970, runs=5, day=40)
    found = recorder.post(f"/api/recordings/{made.pk}/gate/", {}).json()
    assert found["verdict"] == "regression"
    assert "alarm-open" in {f["code"] for f in found["findings"]}


def test_another_books_lines_are_not_there(editor, book, stranger):
    made = followed(editor, book, FLAT)
    assert made is not None
    of = editor.get(f"/api/books/{book.slug}/trend/").json()["lines"][0]
    for address in (f"/api/books/{book.slug}/trend/", f"/api/books/{book.slug}/trend/{of['scenario']['id']}/{of['rig_id']}/"):  # fmt: skip
        assert stranger.get(address).status_code == 404
    assert stranger.post(f"/api/recordings/{made.pk}/line/", {}).status_code == 404


def test_the_lines_of_one_scenario_alone(editor, book):
    ordered(editor, book, builds(3))
    for i, name in enumerate(builds(3)):
        record(book, name, 12.0, 30 + i)
        record(book, name, 9.0, 40 + i, plan=line_plan(name, name="Lake"))
    address = f"/api/books/{book.slug}/trend/"
    both = editor.get(address).json()["lines"]
    assert [line["scenario"]["name"] for line in both] == ["Lake", "River course"]
    (only,) = editor.get(address, {"scenario": both[1]["scenario"]["id"]}).json()["lines"]
    assert only == both[1]
    for bad in ("x", "-1", "1" * 40):
        assert editor.get(address, {"scenario": bad}).status_code == 400


def test_set_ups_recorded_side_by_side_have_alarms_of_their_own(editor, book):
    ordered(editor, book, builds(14))
    for i, name in enumerate(builds(13)):
        worse = 13.2 if i == 12 else 12.0
        record(book, name, worse, 600 + i, conditions={"tier": "low"}, day=i)
        record(book, name, worse + 4.0, 700 + i, conditions={"tier": "high"}, day=i)
    assert [(a.build, a.state) for a in Alarm.objects.all()] == [("b13", "asked"), ("b13", "asked")]
    record(book, "b13", 13.2, 800, conditions={"tier": "low"}, day=30)
    assert sorted(a.state for a in Alarm.objects.all()) == ["asked", "confirmed"]
    record(book, "b13", 14.6, 801, conditions={"tier": "high"}, day=31)  # 16 and 17.2, and now less than either
    assert sorted(a.state for a in Alarm.objects.all()) == ["confirmed", "withdrawn"]
    for chain in (0, 1):
        assert len(page_of(editor, book, chain=chain)["alarms"]) == 1


def test_an_alarm_that_is_open_before_a_break_silences_nothing_after_it(editor, book):
    followed(editor, book, [*FLAT, 13.2])
    later = builds(10, 14)
    ordered(editor, book, ["b13", *later])
    for i, name in enumerate(later):
        record(book, name, 14.6 if name == "b23" else 13.2, 880 + i, conditions={"driver": "24.2"}, day=30 + i)
    assert [(a.build, a.state, a.later) for a in Alarm.objects.all()] == [("b23", "asked", []), ("b13", "asked", [])]
