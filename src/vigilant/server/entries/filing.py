"""What people file an entry under: a note, labels, and how it stands to other entries. None of it moves a verdict."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from vigilant.server.books.models import LogLine
from vigilant.server.database import in_transaction
from vigilant.server.problems import unprocessable

from .models import Entry, EntryLabel, EntryReference


@in_transaction
def file_entry(entry: Entry, user: Any, note: str, labels: Sequence[str], references: Sequence[dict[str, Any]]) -> None:
    """Put note, labels and references in the place of those that are there. Raises a problem for a reference to
    itself, to no entry, or the other way round than one that stands."""
    entry = Entry.objects.select_for_update().select_related("book").get(pk=entry.pk)
    wanted = {(r["relation"], r["number"]) for r in references}
    others = {e.number: e for e in Entry.objects.filter(book=entry.book, number__in={n for _, n in wanted})}
    for relation, number in sorted(wanted):
        if number == entry.number:
            raise unprocessable(
                "reference-to-itself", f"An entry does not stand to itself: no. {number} {relation} it."
            )
        if number not in others:
            raise unprocessable("entry-missing", f"The book {entry.book.slug} has no entry {number}.")
        if EntryReference.objects.filter(entry=others[number], other=entry, relation=relation).exists():
            raise unprocessable(
                "reference-both-ways", f"No. {number} {relation} no. {entry.number} already; not both ways at once."
            )
    Entry.objects.filter(pk=entry.pk).update(note=note)
    EntryLabel.objects.filter(entry=entry).delete()
    EntryLabel.objects.bulk_create(EntryLabel(entry=entry, name=name) for name in sorted(set(labels)))
    EntryReference.objects.filter(entry=entry).delete()
    EntryReference.objects.bulk_create(
        EntryReference(entry=entry, other=others[number], relation=relation) for relation, number in sorted(wanted)
    )
    said = [*sorted(set(labels)), *(f"{relation} no. {number}" for relation, number in sorted(wanted))]
    LogLine.write("filed", f"entry {entry.number}: {', '.join(said) or 'a note'}", by=user, book=entry.book)
