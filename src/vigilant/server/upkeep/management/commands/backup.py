"""The whole database into a folder, while everybody goes on."""

from __future__ import annotations

import fcntl
import time
from pathlib import Path

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from vigilant.server.upkeep import backup, kept


class Command(BaseCommand):
    help = "Back the database up into FOLDER as it is at one moment; what did not change since an earlier backup is not written again."
    requires_system_checks = ()

    def add_arguments(self, parser):
        parser.add_argument(
            "folder", type=Path, nargs="?", default=settings.BACKUPS, help="unless VIGILANT_BACKUPS names it"
        )
        parser.add_argument(
            "--key", type=Path, default=settings.BACKUP_KEY, help="seal everything by the key in this file"
        )
        parser.add_argument("--new-key", type=Path, help="make that file first; whoever loses it opens no backup again")
        parser.add_argument(
            "--keep", type=int, default=0, help="forget all but the newest so many, and what only they hold"
        )
        parser.add_argument("--list", action="store_true", help="list what is there, and nothing else")
        parser.add_argument("--check", action="store_true", help="read the newest again, and nothing else")

    def handle(self, *args, folder, key, new_key, keep, list, check, **options):
        if folder is None:
            raise CommandError("a folder is needed, or VIGILANT_BACKUPS")
        try:
            if new_key:
                kept.new_key(new_key)
            sealed = key or new_key
            found = kept.Folder(folder, kept.read_key(sealed) if sealed else None)
            if list:
                self._list(found)
            elif check:
                self._check(found)
            else:
                self._make(found, keep)
        except (kept.BackupBroken, OSError) as error:
            raise CommandError(str(error)) from None

    def _list(self, folder):
        for name in folder.lists():
            one = backup.read(folder, name)
            self.stdout.write(f"{name}  {len(one.tables)} tables, {one.rows:,} rows, of {one.database}")

    def _check(self, folder):
        name = backup.newest(folder)
        backup.check(folder, backup.read(folder, name))
        self.stdout.write(f"{name} is whole: every piece is there and holds what was written.")

    def _make(self, folder, keep):
        folder.path.mkdir(parents=True, exist_ok=True, mode=0o700)
        with (folder.path / "lock").open("w") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                raise CommandError(f"another backup is being made in {folder.path}") from None
            if names := folder.lists():
                backup.read(folder, names[-1])  # with another key, or none, this would be a folder of two sorts
            began = time.monotonic()
            made, written = backup.back_up(folder)
            log = f"; the database's log goes on at {made.log_file} {made.log_position}" if made.log_file else ""
            self.stdout.write(
                f"{made.name}: {made.rows:,} rows of {len(made.tables)} tables in {len(made.pieces):,} pieces; {written.pieces:,} of them new, "
                f"{written.bytes / 2**20:.1f} MiB, in {time.monotonic() - began:.1f} s{log}"
            )
            if keep > 0:
                gone, free = backup.drop_all_but(folder, keep)
                self.stdout.write(f"{gone} older backups forgotten, {free / 2**20:.1f} MiB free")
