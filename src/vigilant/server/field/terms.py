"""What sessions name, as terms: each once, and no more of a kind than a book holds."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import orjson
from django.db import IntegrityError, transaction

from vigilant.core.field import Rule, class_of
from vigilant.formats import limits
from vigilant.formats.field import SentDevice, SentTier, Snapshot

from .models import ClassTable, Term

#: What further terms of a kind are, once a book holds as many as it may.
ELSEWHERE = "elsewhere"
#: Terms of a kind that a book holds.
MOST = {
    Term.Kind.BUILD: limits.FIELD_BUILDS,
    Term.Kind.CLASS: limits.FIELD_CLASSES,
    Term.Kind.MODEL: limits.FIELD_MODELS,
    Term.Kind.PLACE: limits.FIELD_NAMES,
    Term.Kind.TIER: limits.FIELD_NAMES,
    Term.Kind.LABEL: limits.FIELD_NAMES,
}


class Terms:
    """Finds or makes the terms of one book; for the time of one transaction."""

    def __init__(self, book: int) -> None:
        self.book = book
        self.known: dict[tuple[str, str], Term] = {}
        self.counts: dict[str, int] = {}
        self.labels: dict[int, list[Term]] = {}
        table = ClassTable.objects.filter(book=book).first()
        self.rules = [rule_of(one) for one in table.rules] if table else []

    def of(self, kind: str, name: str, facts: Mapping[str, Any] | None = None, by: Any = None) -> Term:
        """The term of a name (and of ``by``, where a name alone does not tell it)."""
        digest = digest_of(name, by)
        found = self.known.get((kind, digest))
        if found is None:
            found = self.known[kind, digest] = self.found(kind, name, dict(facts or {}), digest)
        return found

    def expect(self, snapshots: Iterable[Snapshot]) -> None:
        """Fetch at once what these sessions name, as far as it is known."""
        wanted: dict[str, set[str]] = {}
        for kind, name, by in (named for snapshot in snapshots for named in self._named(snapshot)):
            wanted.setdefault(kind, set()).add(digest_of(name, by))
        for kind, digests in wanted.items():
            for term in Term.objects.filter(book=self.book, kind=kind, digest__in=sorted(digests)):
                self.known[kind, term.digest] = term

    def _named(self, snapshot: Snapshot) -> Iterator[tuple[str, str, Any]]:
        yield Term.Kind.BUILD, snapshot.build, None
        yield Term.Kind.MODEL, snapshot.device.model, None
        yield from ((Term.Kind.PLACE, place.name, None) for place in snapshot.places)
        yield from ((Term.Kind.TIER, tier.name, tier.model_dump()) for tier in snapshot.tiers)

    def found(self, kind: str, name: str, facts: dict[str, Any], digest: str) -> Term:
        found = Term.objects.filter(book=self.book, kind=kind, digest=digest).first()
        return found or self._made(kind, name, facts, digest)

    def _made(self, kind: str, name: str, facts: dict[str, Any], digest: str) -> Term:
        if name != ELSEWHERE:
            held = self.counts.get(kind)
            if held is None:
                held = Term.objects.filter(book=self.book, kind=kind).count()
            if held >= MOST[Term.Kind(kind)]:
                self.counts[kind] = held
                return self.of(kind, ELSEWHERE, facts if kind == Term.Kind.TIER else None)
            self.counts[kind] = held + 1
        try:
            with transaction.atomic():
                return Term.objects.create(book_id=self.book, kind=kind, name=name, facts=facts, digest=digest)
        except IntegrityError:  # another was quicker
            return Term.objects.get(book=self.book, kind=kind, digest=digest)

    def build(self, snapshot: Snapshot) -> Term:
        return self.of(Term.Kind.BUILD, snapshot.build, {"assigned": snapshot.assigned})

    def model(self, device: SentDevice) -> Term:
        facts = device.model_dump(exclude={"model", "kind"}, exclude_none=True)
        return self.of(Term.Kind.MODEL, device.model, facts)

    def tier(self, tier: SentTier) -> Term:
        """The same name with other settings, or set by somebody else, is another tier."""
        facts = tier.model_dump()
        return self.of(Term.Kind.TIER, tier.name, facts, facts)

    def place(self, name: str) -> Term:
        return self.of(Term.Kind.PLACE, name)

    def class_of(self, device: SentDevice) -> Term:
        return self.of(
            Term.Kind.CLASS, class_of(self.rules, device.model, device.graphics, device.memory_gib, device.kind)
        )

    def labels_of(self, build: int, names: list[str]) -> list[int | None]:
        """The bits of a session's labels among its build's, in their order; None for one too many."""
        own = self.labels.get(build)
        if own is None:
            own = self.labels[build] = self.known_labels(build)
        bits: list[int | None] = []
        for name in names:
            at = next((i for i, term in enumerate(own) if term.name == name), None)
            if at is None and len(own) < limits.FIELD_LABELS:
                own.append(self.of(Term.Kind.LABEL, name, {"build": build}, build))
                at = len(own) - 1
            bits.append(at)
        return bits

    def known_labels(self, build: int) -> list[Term]:
        return list(Term.objects.filter(book=self.book, kind=Term.Kind.LABEL, facts__build=build).order_by("pk"))


def digest_of(name: str, by: Any) -> str:
    return hashlib.blake2b(orjson.dumps([name, by], option=orjson.OPT_SORT_KEYS), digest_size=16).hexdigest()


def rule_of(stored: Mapping[str, Any]) -> Rule:
    return Rule(
        stored["name"],
        tuple(stored.get("models", ())),
        tuple(stored.get("graphics", ())),
        stored.get("memory_from_gib"),
        stored.get("memory_below_gib"),
    )
