"""``script/advisories``: every Python and npm package that is installed, held against what is published about it."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.table import Table

ROOT = Path(__file__).resolve().parents[1]
NONE, SOME, NOT_ASKED = 0, 1, 3


@dataclass(frozen=True)
class Advisory:
    """What is published about one package that is used."""

    package: str
    version: str
    name: str
    mended: str


@dataclass
class Asked:
    """What one registry told; ``untold`` is why it did not, of a package or of all."""

    of: str
    packages: int = 0
    advisories: list[Advisory] = field(default_factory=list)
    untold: dict[str, str] = field(default_factory=dict)


def of_python(told: Mapping[str, Any]) -> Asked:
    """From the JSON of pip-audit."""
    found = Asked("Python", len(told["dependencies"]))
    for one in told["dependencies"]:
        if "skip_reason" in one:
            found.untold[one["name"]] = one["skip_reason"]
        for advisory in one.get("vulns", ()):
            mended = ", ".join(advisory["fix_versions"]) or "not yet"
            found.advisories.append(Advisory(one["name"], one["version"], advisory["id"], mended))
    return found


def of_npm(told: Mapping[str, Any]) -> Asked:
    """From the JSON of npm audit."""
    if "vulnerabilities" not in told:
        return Asked("npm", 0, untold={"all of them": str(told.get("message") or told.get("error") or "no answer")})
    found = Asked("npm", told["metadata"]["dependencies"]["total"])
    for name, one in told["vulnerabilities"].items():
        # A name in "via" is another package of the list, through which this one is touched.
        for via in (via for via in one["via"] if isinstance(via, dict)):
            said = f"{via['title']} ({via['severity']})"
            found.advisories.append(Advisory(name, one["range"], said, "yes" if one["fixAvailable"] else "not yet"))
    return found


def _ask(command: Sequence[str], where: Path) -> dict[str, Any]:
    """What a program prints as JSON; its error under "message" where it prints none."""
    done = subprocess.run(command, cwd=where, capture_output=True, text=True, check=False)
    try:
        found: dict[str, Any] = json.loads(done.stdout)
    except json.JSONDecodeError:
        return {"message": (done.stderr.strip() or "nothing was printed").splitlines()[-1]}
    return found


def say(found: Sequence[Asked], to: Console) -> int:
    """Print it; the exit code."""
    table = Table("package", "version", "advisory", "mended in")
    for one in (advisory for asked in found for advisory in asked.advisories):
        table.add_row(one.package, one.version, one.name, one.mended)
    if table.row_count:
        to.print(table)
    for asked in found:
        if not asked.untold:
            to.print(f"{asked.of}: {asked.packages} packages asked about, {len(asked.advisories)} advisories")
            continue
        name, why = next(iter(asked.untold.items()))
        of = f"{len(asked.untold)} of {asked.packages} packages" if asked.packages else "anything"
        to.print(f"{asked.of}: could not ask about {of}; {name}: {why}")
    if any(asked.advisories for asked in found):
        return SOME
    return NOT_ASKED if any(asked.untold for asked in found) else NONE


def main() -> int:
    audit = sys.argv[1]
    pip = [audit, "--requirement", "requirements/dev.txt", "--require-hashes", "--disable-pip", "--progress-spinner", "off", "--format", "json"]  # fmt: skip
    told = _ask(pip, ROOT)
    python = of_python(told) if "dependencies" in told else Asked("Python", untold={"all of them": told["message"]})
    return say([python, of_npm(_ask(["npm", "audit", "--json"], ROOT / "web"))], Console(width=120, highlight=False))


if __name__ == "__main__":
    sys.exit(main())
