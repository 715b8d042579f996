"""Books of before there were seals are sealed as they stand."""

from django.db import migrations
from django.utils import timezone

from vigilant.server.seals import services


def seal_what_is_there(apps, schema_editor):
    Chain, Link = (apps.get_model("seals", name) for name in ("Chain", "Link"))
    for book in apps.get_model("books", "Book").objects.exclude(pk__in=Chain.objects.values("book")):
        number, before = 0, ""
        for kind in services.kinds():
            rows = apps.get_model(kind.model._meta.label).objects.filter(**{kind.book: book})
            if kind.only is not None:
                rows = rows.filter(kind.only)
            for row in rows.select_related(*kind.related).order_by("pk").iterator(chunk_size=services.AT_A_TIME):
                number, at = number + 1, timezone.now()
                subject, content = kind.subject(row), services.digest(kind.content(row))
                hash_ = services.link_hash(number, "sealed", subject, content, at, before)
                Link.objects.create(
                    book=book, number=number, what="sealed", subject=subject, content=content, at=at, before=before,
                    hash=hash_,
                )  # fmt: skip
                before = hash_
        if number:
            Chain.objects.create(book=book, length=number, head=before)


class Migration(migrations.Migration):
    dependencies = [
        ("seals", "0001_first"),
        ("entries", "0010_decided_when"),
        ("goals", "0001_initial"),
        ("runs", "0013_stills"),
    ]
    operations = [migrations.RunPython(seal_what_is_there, migrations.RunPython.noop)]
