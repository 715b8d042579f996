"""The demo's book: every verdict stands in it, and loading it again changes nothing."""

import pytest
from django.core.management import call_command

from vigilant.server.entries.models import Comparison, Decision, Entry


@pytest.mark.django_db
def test_the_demo_book_has_every_verdict(monkeypatch):
    # Browser tests see what leaves find in it.
    monkeypatch.setattr("vigilant.server.evidence.stills.begin", lambda comparison: None)
    call_command("load_demo")
    verdicts = list(
        Entry.objects.exclude(comparison=None).order_by("number").values_list("comparison__verdict", flat=True)
    )
    assert len(verdicts) >= 7
    assert set(verdicts) == set(Comparison.Verdict.values), verdicts
    void = Comparison.objects.get(verdict="void")
    assert [f["code"] for f in void.result["findings"] if f["severity"] == "void"] == ["cap-one-side"]
    marked = Decision.objects.exclude(expectation="").values_list("expectation", flat=True)
    assert set(marked) == set(Decision.Expectation.values)
    call_command("load_demo")
    assert Entry.objects.count() == 13
