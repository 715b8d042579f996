"""MariaDB's conflicts: a transaction that lost one is tried again, and only then."""

import threading

import pytest
from django.db import OperationalError, connection, transaction

from vigilant.server.books.models import Book
from vigilant.server.database import TRIES, in_transaction


@pytest.mark.django_db(transaction=True)
def test_two_that_lock_each_other_out_both_get_through():
    for slug in ("a", "b"):
        Book.objects.create(slug=slug, name="")
    both_hold_one, tried, failed = threading.Barrier(2), [], []

    @in_transaction
    def rename(first, second):
        tried.append(first)
        Book.objects.filter(slug=first).update(name=f"{first} first")
        if tried.count(first) == 1:
            both_hold_one.wait(20)
        Book.objects.filter(slug=second).update(name=f"{first} first")

    def run(*slugs):
        try:
            rename(*slugs)
        except OperationalError as error:
            failed.append(error)
        finally:
            connection.close()

    threads = [threading.Thread(target=run, args=slugs) for slugs in (("a", "b"), ("b", "a"))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert not failed
    assert len(tried) == 3  # one of them lost, once
    last = tried[-1]
    assert set(Book.objects.values_list("name", flat=True)) == {f"{last} first"}


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize(("code", "tries"), [(1213, TRIES), (1205, TRIES), (1021, 1)])
def test_only_a_conflict_is_tried_again(code, tries, monkeypatch):
    monkeypatch.setattr("vigilant.server.database.time.sleep", lambda s: None)
    tried = []

    @in_transaction
    def fails():
        tried.append(1)
        raise OperationalError(code, "refused")

    with pytest.raises(OperationalError):
        fails()
    assert len(tried) == tries


@pytest.mark.django_db(transaction=True)
def test_within_another_transaction_the_outer_one_decides():
    """A conflict has rolled all of it back: what was done before would be missing."""
    tried = []

    @in_transaction
    def fails():
        tried.append(1)
        raise OperationalError(1213, "refused")

    with pytest.raises(OperationalError), transaction.atomic():
        fails()
    assert len(tried) == 1
