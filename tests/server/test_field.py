"""The field: what devices send is kept once, counts once, and adds up to what a recount of all of it gives."""

import random
import uuid
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from importlib import import_module

import numpy as np
import pytest
from django.apps import apps
from django.core.cache import cache
from django.db import OperationalError, connection
from django.utils import timezone

from vigilant.server.books.models import Book, Member, RecorderToken
from vigilant.server.field import folding, keeping, receiving, tasks, terms
from vigilant.server.field.models import (
    ROLL_UPS,
    AfterBursts,
    ClassTable,
    LabelledSeconds,
    OfModel,
    Played,
    Refused,
    Seen,
    Session,
    Term,
)
from vigilant.server.field.receiving import receive
from vigilant.server.jobs.models import Job

from .field_sessions import TIER, cell, session

pytestmark = pytest.mark.django_db
SEND = "/api/field/sessions/"


@pytest.fixture
def book():
    return Book.objects.create(slug="river", name="Lanternfall")


@pytest.fixture
def key(book):
    made, text = RecorderToken.issue(book, "river 41", RecorderToken.Scope.FIELD)
    made.text = text
    return made


@pytest.fixture
def send(client, book, key):
    cache.clear()  # when the counting was asked for last

    def sending(body, text=None, count=True):
        headers = {"Authorization": f"Bearer {text or key.text}"}
        answer = client.post(SEND, body, content_type="application/json", headers=headers)
        while count and folding.fold(book):
            pass
        return answer

    return sending


def totals(table, *names):
    """Sums over all rows of a roll-up, by week, which those over all weeks must give too."""
    of_weeks, over_weeks = (
        [sum(row[name] for row in table.objects.filter(week__isnull=over).values(*names)) for name in names]
        for over in (False, True)
    )
    assert of_weeks == pytest.approx(over_weeks)
    return of_weeks


def as_counted(book):
    """All roll-ups, and the same from a recount of every session: rows that hold nothing are left out."""
    again = folding.recounted(book)
    stored = {}
    for table in ROLL_UPS:
        for row in table.objects.all():
            sums = {name: getattr(row, name) for name in numbers_of(table)}
            if any(round(float(value), 6) for value in sums.values()):
                stored[table, row.key] = sums
            for name, size in folding.ARRAYS.items():
                if hasattr(row, name) and folding.counts_of(getattr(row, name), size).any():
                    stored.setdefault((table, row.key), sums)[name] = folding.counts_of(
                        getattr(row, name), size
                    ).tolist()
    recount = {}
    for (table, what), one in again.rows.items():
        sums = {name: one.numbers.get(name, 0) for name in numbers_of(table)}
        if any(round(float(value), 6) for value in sums.values()):
            recount[table, folding._digest(what)] = sums
        for name in folding.ARRAYS:
            if name in one.arrays and one.arrays[name].any():
                recount.setdefault((table, folding._digest(what)), sums)[name] = one.arrays[name].tolist()
    return stored, recount


def numbers_of(table):
    kinds = ("BigIntegerField", "FloatField")
    left = (*folding.MAXIMA, "id")
    return [f.name for f in table._meta.fields if f.get_internal_type() in kinds and f.name not in left]


def assert_same(stored, recount):
    assert stored.keys() == recount.keys()
    for key, sums in recount.items():
        for name, value in sums.items():
            assert stored[key][name] == pytest.approx(value, rel=1e-9, abs=1e-6), (key, name)


def test_a_session_comes_in_and_counts(send, book):
    answer = send(session(), count=False)  # it asks for that by itself
    assert answer.status_code == 201
    assert answer.json() == {"seq": 1, "next_s": 300}
    assert totals(Played, "frames", "late") == [100, 5]
    assert not Session.objects.get().waits


def test_what_nobody_asked_to_count_is_found_by_the_sweep(send):
    for _ in range(3):
        send(session(), count=False)
    assert totals(Played, "frames") == [100]  # the further ones came within two seconds of it
    tasks.look_after()
    assert totals(Played, "frames") == [300]


def test_sent_again_it_is_known_and_another_content_is_refused(send):
    body = session()
    assert send(body).status_code == 201
    assert send(body).status_code == 200
    answer = send({**body, "age_s": 121.0})
    assert (answer.status_code, answer.json()["code"]) == (409, "session-differs")
    assert totals(Played, "frames") == [100]
    assert Session.objects.count() == 1


def test_a_later_upload_replaces_and_an_earlier_one_changes_nothing(send):
    first = session()
    later = {**first, "seq": 3, "cells": [cell([12.0] * 190 + [30.0] * 10)], "ended": "person"}
    assert send(later).status_code == 201
    answer = send(first)
    assert (answer.status_code, answer.json()["seq"]) == (200, 3)
    assert totals(Played, "frames", "late") == [200, 10]
    assert totals(Seen, "sessions") == [4]  # the session itself, its tier, its place, and both together


def test_one_that_shrinks_is_refused_and_counts_as_before(send):
    body = session()
    send(body)
    answer = send({**body, "seq": 2, "cells": [cell([12.0] * 95 + [30.0] * 4)]})
    assert (answer.status_code, answer.json()["code"]) == (422, "session-shrinks")
    assert "landing stage" in answer.json()["detail"]
    assert totals(Played, "frames") == [100]


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"installation": "me"}, "installation"),
        ({"seq": 0}, "seq"),
        ({"seq": True}, "seq"),
        ({"edges": 2}, "edges"),
        ({"cells": [{**cell([12.0] * 10), "late": 11}]}, "late"),
        ({"cells": [{**cell([12.0] * 10), "sum_ms": 500.0}]}, "does not agree"),
        ({"cells": [{**cell([12.0] * 10), "max_ms": 40.0}]}, "longest"),
        ({"cells": [{**cell([12.0] * 10), "frames": "!!"}]}, "cannot be read"),
        ({"cells": [{**cell([12.0] * 10), "frames": "/////w=="}]}, "cannot be read"),
        ({"cells": [cell([12.0] * 10, place=2)]}, "not play"),
        ({"cells": [cell([12.0] * 10, place=7)]}, "place 7"),
        ({"cells": [cell([12.0] * 10, tier=1)]}, "tier 1"),
        ({"cells": [cell([12.0] * 10), cell([12.0] * 10)]}, "two cells"),
        ({"places": [{"name": "bridge"}, {"name": "bridge"}]}, "twice"),
        ({"labels": ["rain"], "sets": [[0, 0, 2, 1, 60, 0]]}, "label"),
        ({"labels": ["rain"], "sets": [[0, 0, 1, 1, 60, 61]]}, "labelled"),
        ({"labels": [f"label {i}" for i in range(7)]}, "labels"),
        ({"build": "river\u000041"}, ""),
        ({"last": {"place": 2, "minutes": 0, "now": True, "then": False}}, "not play"),
    ],
)  # fmt: skip
def test_what_is_none_is_refused_with_its_fault(send, changes, said):
    answer = send(session(**changes))
    assert answer.status_code in (400, 422)
    assert said in answer.json()["detail"]
    assert not Session.objects.exists()
    if answer.status_code == 422:
        assert Refused.objects.get().count == 1


def test_too_old_or_of_the_future_is_counted_and_not_kept(send):
    assert send(session(age_s=31 * 86_400.0)).status_code == 200
    assert send(session(age_s=-2 * 86_400.0)).status_code == 200
    assert send(session(age_s=-600.0)).status_code == 201
    assert (Refused.objects.get().why, Refused.objects.get().count) == ("too-late", 2)
    assert Session.objects.count() == 1


def test_a_key_of_the_field_opens_nothing_else_and_no_other_token_sends(client, book, key, send):
    header = {"Authorization": f"Bearer {key.text}"}
    for address in ("/api/token/", f"/api/books/{book.slug}/entries/", "/api/runs/"):
        answer = client.get(address, headers=header)
        assert (answer.status_code, answer.json()["code"]) == (401, "token-scope")
    assert client.post("/api/recordings/", {}, content_type="application/json", headers=header).status_code == 401
    for scope in (RecorderToken.Scope.DELIVER, RecorderToken.Scope.READ):
        _, other = RecorderToken.issue(book, "another", scope)
        assert send(session(), other).json()["code"] == "token-scope"
    assert send(session(), "vl_unknown").status_code == 401
    key.revoke()
    assert send(session()).json()["code"] == "token-revoked"


def test_the_teams_own_devices_are_counted_apart_and_asked_sooner(book, send):
    _, own = RecorderToken.issue(book, "own", RecorderToken.Scope.OWN_FIELD)
    assert send(session(), own).json()["next_s"] == 30
    assert send(session()).json()["next_s"] == 300
    assert sorted(Played.objects.filter(week=None).values_list("own", flat=True)) == [False, True]


def test_a_page_of_any_origin_may_send_and_only_there(client):
    asked = {
        "Origin": "https://lanternfall.example",
        "Access-Control-Request-Method": "POST",
        "Access-Control-Request-Headers": "authorization,content-type",
    }
    assert client.options(SEND, headers=asked)["Access-Control-Allow-Origin"] == asked["Origin"]
    assert "Access-Control-Allow-Origin" not in client.options("/api/books/river/field/", headers=asked)


def test_classes_follow_the_first_rule_and_a_session_stays_in_its_own(book, key):
    def sorted_as(body):
        receive(key, body)
        folding.fold(book)
        return Session.objects.get(session=body["session"]).sorted_as.name

    body = session()
    assert sorted_as(body) == "handheld"  # as the program names it
    assert sorted_as(session(device={"model": "Reed 5"})) == "other"
    rules = [{"name": "small", "memory_below_gib": 6}, {"name": "reeds", "models": ["reed*"]}]
    ClassTable.objects.create(book=book, version=1, rules=rules)
    assert sorted_as(session(device={"model": "Willow", "memory_gib": 4})) == "small"
    assert sorted_as(session(device={"model": "Reed 5", "memory_gib": 8})) == "reeds"
    assert sorted_as(session(device={"model": "Willow", "kind": "desk"})) == "desk"
    assert sorted_as({**body, "seq": 2, "cells": [cell([12.0] * 95 + [30.0] * 6)]}) == "handheld"


def test_settings_under_one_name_are_another_tier(send):
    send(session())
    send(session(tiers=[{**TIER, "settings": {"reflections": "half"}}]))
    send(session(tiers=[{**TIER, "set_by": "person"}]))
    assert Term.objects.filter(kind="tier", name="full lanterns").count() == 3


def test_a_build_that_names_ever_more_is_bounded(send, monkeypatch):
    monkeypatch.setitem(terms.MOST, Term.Kind.MODEL, 2)
    for i in range(5):
        send(session(device={"model": f"Reed {i}"}))
    assert sorted(Term.objects.filter(kind="model").values_list("name", flat=True)) == ["Reed 0", "Reed 1", "elsewhere"]
    assert (
        sum(OfModel.objects.filter(model__name="elsewhere", place=None, week=None).values_list("sessions", flat=True))
        == 3
    )


def test_silence_of_two_days_is_an_end_and_a_late_word_opens_it_again(book, send):
    last = {"place": 0, "minutes": 1, "now": True, "then": False}
    body = session(last=last, bursts=[[0, 1, 7, 4]])
    send(body)
    assert totals(AfterBursts, "ended_now", "now", "then") == [0, 7, 4]
    Session.objects.update(received_at=timezone.now() - timedelta(hours=49))
    tasks.look_after()
    assert Session.objects.get().ended == "vanished"
    assert totals(AfterBursts, "ended_now", "now", "then") == [1, 6, 4]
    assert Seen.objects.get(tier=None, place=None, week=None).ended == {"vanished": 1}
    send({**body, "seq": 2, "ended": "program"})
    assert totals(AfterBursts, "ended_now", "now", "then") == [0, 7, 4]
    assert Seen.objects.get(tier=None, place=None, week=None).ended == {"vanished": 0, "program": 1}


def test_jobs_that_counted_go_within_hours(send):
    send(session(), count=False)
    assert Job.objects.filter(kind=receiving.COUNT_IN).count() == 1
    Job.objects.update(finished_at=timezone.now() - timedelta(hours=2))
    tasks.look_after()
    assert not Job.objects.filter(kind=receiving.COUNT_IN).exists()


def test_old_sessions_go_and_their_sums_stay(send):
    send(session(ended="person"))
    Session.objects.update(received_at=timezone.now() - timedelta(days=32))
    tasks.look_after()
    assert not Session.objects.exists()
    assert totals(Played, "frames") == [100]


def test_installations_are_noted_by_their_hash_and_never_counted_twice(send):
    one = session()
    send(one)
    send(session(installation=one["installation"]))
    send(session())
    row = Seen.objects.get(tier=None, place=None, week=None)
    assert row.sessions == 3
    assert folding.installations_in([row.installations]) == 2


def uploads_of(rng):
    """What one device sends, in its order: a session that grows, and ends."""
    tiers = [TIER] if rng.random() < 0.5 else [TIER, {**TIER, "level": 1, "name": "few lanterns"}]
    body = session(
        tiers=tiers, device={"model": f"Reed {rng.integers(3)}"}, installation=uuid.UUID(bytes=rng.bytes(16)).hex
    )
    frames = {(place, tier): rng.uniform(8, 30, 200) for place in (0, 1) for tier in range(len(tiers))}
    found = []
    for seq in range(1, int(rng.integers(2, 5))):
        cells = [cell(x[: 40 * seq], place, tier, busiest=place) for (place, tier), x in frames.items()]
        sets = [[0, 0, bits, 3 * seq, 180 * seq, seq] for bits in (0, 1)]
        bursts = [[1, 2, 5 * seq, 3 * seq]]
        found.append({**body, "seq": seq, "cells": cells, "labels": ["rain"], "sets": sets, "bursts": bursts})
    found[-1] |= {"ended": "person", "last": {"place": 1, "minutes": 2, "now": True, "then": False}}
    return found


@pytest.mark.parametrize("seed", range(4))
def test_the_roll_ups_are_a_recount_in_whatever_order_uploads_come(book, key, seed, monkeypatch):
    monkeypatch.setattr(receiving, "ask_to_count", lambda book: None)
    rng = np.random.default_rng(seed)
    sessions = [uploads_of(rng) for _ in range(12)]
    sent = [one for own in sessions for one in own]
    sent += sent[::3]  # some twice
    random.Random(seed).shuffle(sent)
    for i, body in enumerate(sent):
        receive(key, body)
        if i % 5 == 0:
            folding.fold(book, most=3)
            assert_same(*as_counted(book))
    while folding.fold(book):
        pass
    assert_same(*as_counted(book))
    assert LabelledSeconds.objects.exists()
    assert totals(AfterBursts, "ended_now") == [12]
    frames = sum(len(own) * 40 * len(own[0]["cells"]) for own in sessions)
    assert totals(Played, "frames") == [frames]
    assert totals(OfModel, "frames") == [2 * frames]  # by place, and over all of them


@pytest.mark.django_db(transaction=True)
def test_uploads_that_come_together_are_written_together_and_each_gets_its_own_answer(book, key, monkeypatch):
    """Eight at one moment: new ones, one known with another content, one that shrinks, and one that cannot be written at all."""
    monkeypatch.setattr(receiving, "ask_to_count", lambda book: None)
    monkeypatch.setattr(keeping, "GATHERING_S", 0.3)
    known, other, long = session(), session(), session(cells=[cell([12.0] * 50)])
    for made in (known, other, long):
        receive(key, made)
    bodies = [
        *(session() for _ in range(4)),
        {**other, "age_s": 7.0},
        {**long, "seq": 2, "cells": [cell([12.0] * 40)]},
        {**known, "seq": 2, "cells": [cell([12.0] * 200 + [30.0] * 5)]},
        session(build="broken"),
    ]
    kept_as, in_one, sizes = keeping.kept_as, keeping._in_one, []

    def kept(sent):
        if b"broken" in sent:
            raise ValueError("not to be written")
        return kept_as(sent)

    def writing(uploads):
        sizes.append(len(uploads))
        return in_one(uploads)

    monkeypatch.setattr(keeping, "kept_as", kept)
    monkeypatch.setattr(keeping, "_in_one", writing)

    def sent(body):
        try:
            return receive(key, body).seq
        except Exception as error:
            return getattr(error, "problem_code", type(error).__name__)
        finally:
            connection.close()

    with ThreadPoolExecutor(len(bodies)) as threads:
        found = list(threads.map(sent, bodies))
    assert found == [1, 1, 1, 1, "session-differs", "session-shrinks", 2, "ValueError"]
    assert max(sizes) > 1
    assert Session.objects.count() == 7
    assert Session.objects.get(session=known["session"]).seq == 2
    assert Session.objects.get(session=long["session"]).seq == 1


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("fails", ["_in_one", "close_old_connections"])
def test_what_cannot_be_written_is_said_and_holds_up_nobody_after_it(book, key, monkeypatch, fails):
    monkeypatch.setattr(receiving, "ask_to_count", lambda book: None)
    works, left = getattr(keeping, fails), [1, 2]

    def failing(*uploads):
        if left:
            left.pop()
            raise OperationalError(2006, "the server has gone away")
        return works(*uploads)

    monkeypatch.setattr(keeping, fails, failing)
    sent = [session() for _ in range(3)]
    for body in sent[:2]:
        with pytest.raises(OperationalError):
            receive(key, body)
    assert Session.objects.count() == 0
    for body in sent:
        assert receive(key, body).made
    assert Session.objects.count() == 3


def test_what_came_by_a_revoked_key_is_discarded_and_leaves_the_sums_as_without_it(
    book, key, client, django_user_model
):
    owner = django_user_model.objects.create_user("mira")
    Member.objects.create(book=book, user=owner, role=Member.Role.OWNER)
    client.force_login(owner)
    bad, _ = RecorderToken.issue(book, "leaked", RecorderToken.Scope.FIELD)
    for made in (session(), session(ended="person", labels=["rain"], sets=[[0, 0, 1, 5, 100, 5]])):
        receive(key, made)
    while folding.fold(book):
        pass
    without, _ = as_counted(book)
    grown = session(cells=[cell([12.0] * 20)])
    for made in (session(build="nonsense"), grown, {**grown, "seq": 2, "cells": [cell([12.0] * 60)]}):
        receive(bad, made)
        folding.fold(book)
    receive(bad, session())  # not counted yet
    address = f"/api/books/{book.slug}/tokens/{{}}/sessions/"
    assert client.delete(address.format(bad.pk)).json()["code"] == "key-good"
    bad.revoke()
    assert client.delete(address.format(bad.pk)).json() == {"sessions": 3}
    assert Session.objects.count() == 2
    assert_same(as_counted(book)[0], without)
    assert client.delete(address.format(bad.pk)).json() == {"sessions": 0}


def test_a_book_that_counted_by_week_alone_gets_its_sums_over_all_weeks(book, key):
    for age_s in (120.0, 9 * 86_400.0, 17 * 86_400.0):
        receive(key, session(age_s=age_s, ended="person"))
        receive(key, session(age_s=age_s, labels=["rain"], sets=[[0, 0, 1, 5, 100, 5]], bursts=[[0, 1, 4, 2]]))
    while folding.fold(book):
        pass
    counted, whole = as_counted(book)[0], Seen.objects.get(tier=None, place=None, week=None)
    for table in ROLL_UPS:
        table.objects.filter(week=None).delete()
    import_module("vigilant.server.field.migrations.0003_over_weeks").sum_up(apps, None)
    assert_same(as_counted(book)[0], counted)
    again = Seen.objects.get(tier=None, place=None, week=None)
    assert (again.key, again.ended, again.over) == (whole.key, {"person": 3}, whole.over)
    assert bytes(again.installations) == bytes(whole.installations)
