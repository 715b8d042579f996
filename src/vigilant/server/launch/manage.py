"""``script/manage``: a command of the server on the data of the demo that runs (or of the database that the environment names)."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

from .demo import DOOR
from .private import kept_secret


def main() -> int:
    var = Path(os.environ.get("VIGILANT_VAR", "var"))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vigilant.server.settings")
    if "VIGILANT_DB_HOST" not in os.environ:
        try:
            door = json.loads((var / DOOR).read_text())
        except OSError:
            print(f"manage: no demo is running on the data in {var}; start it with script/demo", file=sys.stderr)
            return 2
        os.environ.update(door["environment"], VIGILANT_SECRET_KEY=kept_secret(var / "secret-key"))
    from django.core.management import execute_from_command_line

    execute_from_command_line(["manage", *sys.argv[1:]])
    return 0


if __name__ == "__main__":
    sys.exit(main())
