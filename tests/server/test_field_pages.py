"""The field's pages on the made-up fleet: what is true of it is found, and what only seems so is not."""

import re

import pytest
from django.contrib.auth import get_user_model

from vigilant.server.books import people
from vigilant.server.books.models import Book, LogLine, Member, RecorderToken
from vigilant.server.field import demo, folding
from vigilant.server.field.models import FieldSettings, Seen, Session, Term, TierMove
from vigilant.server.field.moves import Steps
from vigilant.server.field.receiving import receive
from vigilant.server.scenarios.models import Scenario

from .field_sessions import TIER, cell, session
from .test_field import as_counted, assert_same

pytestmark = pytest.mark.django_db
FLEET = "fleet"


@pytest.fixture
def owned(client, django_user_model):
    """A book of one's own without a field."""
    user = django_user_model.objects.create_user("mira", password="quill")
    client.force_login(user)
    return people.make_book("River", user)


@pytest.fixture(scope="module")
def drawn(django_db_setup, django_db_blocker):
    """One fleet for all tests of this file, which leave it as it is."""
    with django_db_blocker.unblock():
        user = get_user_model().objects.create_user("fleet's owner")
        book = Book.objects.create(slug=FLEET, name="Fleet")
        Member.objects.create(book=book, user=user, role=Member.Role.OWNER)
        demo.load(book, 16_000)
    yield book, user
    with django_db_blocker.unblock():
        for table in (*folding.ROLL_UPS, Session):
            table.objects.filter(book=book).delete()
        Term.objects.filter(book=book).delete()
        Member.objects.filter(book=book).delete()  # which the log notes
        LogLine.objects.filter(book=book).update(book=None, by=None)
        book.delete()
        user.delete()


@pytest.fixture
def fleet(client, drawn):
    book, user = drawn
    client.force_login(user)
    return book


def at(book):
    return f"/api/books/{book}/field/"


def ask(client, leaf="", book=FLEET, **query):
    answer = client.get(f"{at(book)}{leaf}", query)
    assert answer.status_code == 200, answer.json()
    return answer.json()


def test_the_fleet_is_what_its_sessions_add_up_to(owned):
    demo.load(owned, 150)
    assert_same(*as_counted(owned))
    assert demo.load(owned, 150) == 0  # what is there is left alone


def test_minutes_are_lost_on_handhelds_and_few_are_folded_away(client, fleet):
    page = ask(client)
    assert page["build"] == "river 41"
    assert page["sentence"].startswith("In river 41 handheld and old laptop are over 2 % late")
    assert re.search(r" Of all late minutes \d\d % are handheld's\.$", page["sentence"])
    rows = {row["name"]: row for row in page["rows"]}
    assert next(iter(rows)) == "handheld"
    assert "the graphics, in 8" in rows["handheld"]["limits_said"]
    assert any("held at the refresh" in note for note in rows["tall desk"]["notes"])
    assert rows["handheld"]["low"] < rows["handheld"]["share"] < rows["handheld"]["high"]
    assert {"wall screen", "study board"}.isdisjoint(rows)
    assert re.match(r"2 more classes|\d more classes", page["folded"])
    assert sum(part["late"] for part in page["labels"]["parts"]) == pytest.approx(1.0)


def test_a_crowd_that_only_seems_to_cost_is_cleared_and_the_charger_is_not(client, fleet):
    charger, crowd = ask(client)["labels"]["labels"]
    assert (charger["name"], charger["found"]) == ("charger out", True)
    assert (crowd["name"], crowd["found"]) == ("festival crowd", False)
    parts = {part["name"]: part for part in ask(client)["labels"]["parts"]}
    assert float(parts["only festival crowd"]["excess_said"].split()[0]) > 5  # crude it looks bad


def test_the_newer_build_looks_worse_and_is_alike_class_by_class(client, fleet):
    told = ask(client, against="river 40")["compared"]
    assert told["call"] == "alike"
    assert "other devices play it now" in told["said"]
    assert "no verdict" in told["dealt"]
    Term.objects.filter(kind="build").update(facts={"assigned": "random"})
    assert "at random" in ask(client, against="river 40")["compared"]["dealt"]


def test_sessions_end_sooner_after_a_burst(client, fleet):
    left = ask(client)["left"]
    assert 1.0 < left["low"] < 1.5 < left["high"] * 1.2
    assert {row["how"] for row in left["endings"]} == {
        "by the person",
        "without a word",
        "by the program itself",
        "by a crash",
    }


def test_filters_narrow_what_is_read_and_keep_what_is_left_hidden(client, fleet):
    whole = ask(client)
    place = next(p for p in whole["places"] if p["name"] == "fireworks")
    heavy = ask(client, place=place["id"])
    shares = [next(row["share"] for row in page["rows"] if row["name"] == "handheld") for page in (whole, heavy)]
    assert shares[1] > 2 * shares[0]
    newest = ask(client, since=whole["weeks"][-1])
    assert 0 < sum(r["sessions"] for r in newest["rows"]) < sum(r["sessions"] for r in whole["rows"])
    assert ask(client, until=whole["weeks"][0], build="river 41")["rows"] == []
    for wrong in ({"build": "river 99"}, {"tier": 10**9}, {"place": whole["tiers"][0]["id"]}):
        assert client.get(at(FLEET), wrong).status_code == 404
    assert client.get(at(FLEET), {"since": "soon"}).status_code == 400


def test_a_class_says_where_how_long_and_on_which_models(client, fleet):
    key = next(row["id"] for row in ask(client)["rows"] if row["name"] == "handheld")
    page = ask(client, f"classes/{key}/")
    assert page["cells"][0]["place"] == "fireworks"
    assert [row["p"] for row in page["percentiles"]] == [0.5, 0.95, 0.99]
    assert page["percentiles"][0]["low"] <= page["percentiles"][0]["high"] < page["percentiles"][2]["high"]
    assert page["models"][0]["installations"] >= 20
    assert "too few installations to be named" in page["rest"]
    assert {row["name"] for row in page["figures"]} == {"load_ms", "memory_peak_mib"}
    small = Seen.objects.filter(sorted_as__name="study board").first().sorted_as_id
    hidden = ask(client, f"classes/{small}/")
    assert (hidden["hidden"], hidden["cells"], hidden["models"]) == ("fewer than 50", [], [])


def test_a_model_has_a_page_of_its_own_where_enough_play_it(client, fleet):
    key = next(row["id"] for row in ask(client)["rows"] if row["name"] == "handheld")
    rows = ask(client, f"classes/{key}/")["models"]
    page = ask(client, f"models/{rows[0]['id']}/")
    assert page["name"] == rows[0]["name"]
    assert page["cells"][0]["place"] == "fireworks"
    assert page["cells"][0]["low"] < page["cells"][0]["share"] < page["cells"][0]["high"]
    assert [row["p"] for row in page["percentiles"]] == [0.5, 0.95, 0.99]
    assert {row["name"] for row in page["figures"]} == {"load_ms", "memory_peak_mib"}
    few = Term.objects.filter(kind="model", name="Elder 1").first()
    hidden = ask(client, f"models/{few.pk}/")
    assert (hidden["hidden"], hidden["cells"]) == ("fewer than 50", [])
    assert client.get(f"{at(FLEET)}models/{key}/").status_code == 404  # a class is no model


def test_handhelds_are_to_be_moved_down_and_a_held_class_is_not_advised(client, fleet):
    page = ask(client, "moves/")
    rows = {row["name"]: row for row in page["rows"]}
    handheld = rows["handheld"]
    assert (handheld["tier"], handheld["move"]) == ("2 full lanterns", "down")
    assert handheld["down"]["basis"] == "scaled"
    assert handheld["down"]["high"] < handheld["share"] / 2
    assert rows["tall desk"]["refused"]
    assert "held at the refresh" in rows["tall desk"]["move_said"]
    assert rows["tall desk"]["down"] is None
    said = {
        "build": "river 41",
        "sorted_as": handheld["id"],
        "level": 2,
        "to_level": 1,
        "why": "They are too small for it.",
    }
    answer = client.post(f"{at(FLEET)}moves/", said, content_type="application/json")
    assert answer.status_code == 201
    moved = next(row for row in answer.json()["rows"] if row["name"] == "handheld")
    assert moved["decided"]["why"] == "They are too small for it."
    assert moved["move"] == "stay"  # one move in fourteen days
    assert TierMove.objects.get().share == pytest.approx(handheld["share"], rel=0.01)
    assert (
        client.post(f"{at(FLEET)}moves/", {**said, "to_level": 0}, content_type="application/json").status_code == 400
    )


def test_every_class_stands_at_every_tier_as_seen_or_as_expected(client, fleet):
    page = ask(client, "moves/")
    assert page["tiers"] == ["0 few lanterns", "1 some lanterns", "2 full lanterns"]
    for row in page["rows"]:
        assert [at["tier"] for at in row["tiers"]] == page["tiers"]
        today = next(at for at in row["tiers"] if at["tier"] == row["tier"])
        assert today["expected"]["share"] == row["share"]
        assert (today["expected"]["basis"], today["play_said"]) == ("seen", row["play_said"])
        for at in row["tiers"]:
            assert bool(at["expected"]) != bool(at["none"])
            # A step's expectation is the same in both tables, unless the class was seen there.
            for step, by in (("down", -1), ("up", 1)):
                if at["level"] == row["level"] + by and at["expected"] and not at["play_said"]:
                    assert at["expected"] == row[step]
    rows = {row["name"]: row for row in page["rows"]}
    lowest, below, today = rows["handheld"]["tiers"]
    assert lowest["none"].startswith("fewer than 8 models were seen here and at 0 few lanterns")
    assert below["expected"]["share"] < today["expected"]["share"]
    assert (below["expected"]["basis"], bool(below["play_said"])) == ("seen", True)
    others = [
        at for at in rows["tall desk"]["tiers"] if at["tier"] != rows["tall desk"]["tier"] and not at["play_said"]
    ]
    assert others
    assert all("held at the refresh" in at["none"] for at in others)


def test_a_tier_two_steps_away_is_reckoned_step_by_step_where_no_models_tell(client, fleet, monkeypatch):
    for where in ("vigilant.server.field.moves", "vigilant.core.field.tiers"):
        monkeypatch.setattr(f"{where}.LEAST_SESSIONS", 2)
    between = Steps._between
    apart = lambda a, b: abs(a.facts["level"] - b.facts["level"])  # noqa: E731
    monkeypatch.setattr(Steps, "_between", lambda own, a, b: between(own, a, b) if apart(a, b) == 1 else (None, None))
    handheld = next(row for row in ask(client, "moves/")["rows"] if row["name"] == "handheld")
    lowest, below, today = (at["expected"] for at in handheld["tiers"])
    assert (lowest["basis"], today["basis"]) == ("extrapolated", "seen")
    assert lowest["share"] < below["share"] < today["share"]
    assert lowest["low"] < lowest["share"] < lowest["high"]


def test_the_list_to_borrow_begins_with_what_holds_most_and_names_no_one_person(client, fleet):
    page = ask(client, "borrow/")
    scores = [row["score"] for row in page["rows"]]
    assert scores == sorted(scores, reverse=True)
    assert page["rows"][0]["class_name"] in ("handheld", "old laptop")
    assert re.match(r"These \w+ hold 6\d % of what is late beyond 2 %\.", page["sentence"])
    few = [row for row in page["rows"] if row["sessions"] < 20]
    assert all(row["name"].startswith("a model of class") and row["id"] is None for row in few)
    first = ask(client, f"models/{page['rows'][0]['id']}/")
    assert (first["name"], first["sessions"]) == (page["rows"][0]["name"], page["rows"][0]["sessions"])


@pytest.mark.parametrize(
    ("leaf", "head"), [("minutes", "class,sessions"), ("moves", "class,tier"), ("borrow", "model,class")]
)
def test_every_leaf_is_taken_out_as_a_table(client, fleet, leaf, head):
    answer = client.get(f"{at(FLEET)}taken-out/", {"of": leaf})
    lines = answer.content.decode().splitlines()
    assert lines[0].startswith(head)
    assert len(lines) > 3


def test_before_anything_has_come_in_it_says_so(client, owned):
    page = ask(client, book="river")
    assert (page["builds"], page["rows"], page["left"]) == ([], [], None)
    for leaf in ("moves/", "borrow/"):
        assert ask(client, leaf, book="river")["rows"] == []


def test_a_build_is_looked_through_before_it_is_sent_out(client, owned):
    assert client.get(f"{at('river')}ready/").status_code == 404
    key, _ = RecorderToken.issue(owned, "own", RecorderToken.Scope.OWN_FIELD)
    for build in ("river 41", "river 42"):
        for ended in ("person", "vanished", None):
            receive(key, session(build=build, ended=ended if build == "river 41" else "person"))
    while folding.fold(owned):
        pass
    found = ask(client, "ready/", book="river", build="river 41")
    states = {row["name"]: row["state"] for row in found["checks"]}
    assert (found["state"], states["ended"], states["killed"], states["not-play"]) == ("wrong", "wrong", "ok", "ok")
    assert next(row["remedy"] for row in found["checks"] if row["name"] == "ended")
    newest = ask(client, "ready/", book="river")
    assert (newest["build"], newest["state"], newest["builds"]) == ("river 42", "missing", ["river 42", "river 41"])
    legs = {"legs": [{"name": "quay", "from_s": 0}, {"name": "loading", "from_s": 5, "play": False}]}
    scenario = Scenario.objects.create(book=owned, name="course")
    scenario.versions.create(number=1, definition=legs, fingerprint="x")
    asked = ask(client, "ready/", book="river", scenario=scenario.pk)
    assert next(row["seen"] for row in asked["checks"] if row["name"] == "legs") == "not seen: quay"
    for wrong in ({"build": "river 99"}, {"scenario": 10**9}):
        assert client.get(f"{at('river')}ready/", wrong).status_code == 404


def test_under_fifty_sessions_or_twenty_installations_nothing_of_a_class_is_shown_but_of_the_teams_own(client, owned):
    key, _ = RecorderToken.issue(owned, "field", RecorderToken.Scope.FIELD)
    own, _ = RecorderToken.issue(owned, "own", RecorderToken.Scope.OWN_FIELD)

    def send(count, people, token=key):
        for i in range(count):
            receive(token, session(installation=f"{i % people:08x}{i % people:024x}"))
        while folding.fold(owned):
            pass

    send(49, 30)
    assert ask(client, book="river")["rows"] == []
    assert (
        ask(client, book="river")["folded"]
        == "One more class (handheld) with 49 sessions, too few to show; the largest of them needs 1 more."
    )
    send(1, 30)
    assert [row["sessions"] for row in ask(client, book="river")["rows"]] == [50]
    Session.objects.all().delete()
    for table in folding.ROLL_UPS:
        table.objects.all().delete()
    send(60, 19)
    assert ask(client, book="river")["rows"] == []
    send(3, 2, own)
    assert [row["sessions"] for row in ask(client, book="river", own=True)["rows"]] == [3]


def test_the_goal_and_the_classes_are_set_once_and_by_who_may(client, owned, django_user_model):
    asked = {"goal": 0.05, "version": 0, "rules": [{"name": "small", "memory_below_gib": 6}]}
    put = lambda body: client.put(f"{at('river')}settings/", body, content_type="application/json")  # noqa: E731
    assert put(asked).json()["version"] == 1
    assert put(asked).json()["code"] == "classes-changed"
    assert put({**asked, "version": 1}).json()["version"] == 1  # nothing new in it
    assert ask(client, "settings/", book="river")["goal"] == 0.05
    assert FieldSettings.objects.get(book=owned).goal == 0.05
    for wrong in (
        {"goal": 0.03},
        {"rules": [{"name": "all"}]},
        {"rules": [{"name": "x", "memory_from_gib": 8, "memory_below_gib": 4}]},
    ):
        assert put({**asked, "version": 1, **wrong}).status_code == 400
    reader = django_user_model.objects.create_user("tom")
    Member.objects.create(book=owned, user=reader, role=Member.Role.READER)
    client.force_login(reader)
    assert ask(client, book="river")["goal"] == 0.05
    assert put({**asked, "version": 1}).status_code == 403


def test_two_tiers_of_one_session_count_once_for_it(client, owned):
    key, _ = RecorderToken.issue(owned, "own", RecorderToken.Scope.OWN_FIELD)
    tiers = [TIER, {**TIER, "level": 1, "name": "some lanterns"}]
    for _ in range(9):
        receive(key, session(tiers=tiers, cells=[cell([12.0] * 50, tier=0), cell([30.0] * 50, tier=1)]))
    while folding.fold(owned):
        pass
    row = ask(client, book="river", own=True)["rows"][0]
    assert (row["sessions"], row["share"]) == (9, 0.5)
    level = next(t for t in ask(client, book="river", own=True)["tiers"] if t["name"] == "2 full lanterns")
    assert ask(client, book="river", own=True, tier=level["id"])["rows"][0]["share"] == 0.0
