"""A backup into an empty database."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from vigilant.server.upkeep import backup, kept


class Command(BaseCommand):
    help = "Put a backup of FOLDER, the newest unless NAME says which, into an empty database, and hold every row against it."
    requires_system_checks = ()

    def add_arguments(self, parser):
        parser.add_argument("folder", type=Path)
        parser.add_argument("name", nargs="?")
        parser.add_argument(
            "--key", type=Path, default=settings.BACKUP_KEY, help="the file with the key that it is sealed by"
        )
        parser.add_argument(
            "--log", type=Path, nargs="+", default=(), help="then go on with these files of the database's own log"
        )
        parser.add_argument("--until", default="", help="up to this time and no further, in UTC: 'YYYY-MM-DD HH:MM:SS'")

    def handle(self, *args, folder, name, key, log, until, **options):
        if until and not log:
            raise CommandError("--until needs --log: a backup is of one moment, the log goes on from there")
        try:
            found = kept.Folder(folder, kept.read_key(key) if key else None)
            one = backup.read(found, name or backup.newest(found))
            backup.restore(found, one)
            self.stdout.write(
                f"{one.name}: {one.rows:,} rows of {len(one.tables)} tables, as they were at {one.made_at}; each was read again and is the same."
            )
            if log:
                backup.go_on(one, log, until)
                self.stdout.write(
                    f"What followed in {len(log)} files of the log was done again{f' until {until}' if until else ''}."
                )
        except (kept.BackupBroken, backup.RestoreRefused, OSError) as error:
            raise CommandError(str(error)) from None
        self.stdout.write("Apply the migrations of this version now: script/serve upgrade, or migrate.")
