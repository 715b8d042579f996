"""What a server's plan starts here is shown, asked about once, and asked about again when it changes."""

import io
from pathlib import Path

import click
import pytest
from rich.console import Console

from vigilant.cli.consent import agreed_file, ask_once
from vigilant.plan import parse_plan


def planned(command="./festival", **arm):
    arms = [{"name": "as it was", "command": [command, "a b"], **arm}, {"name": "new", "command": ["./festival"]}]
    return parse_plan(
        {"scenario": {"name": "x"}, "arm": arms, "recording": {"reset": ["rm", "-r", "cache"]}}, Path("/here")
    )


@pytest.fixture
def asked(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))

    def ask(plan, yes=False, server="http://127.0.0.1:1", says=None):
        shown = io.StringIO()
        if says is not None:
            monkeypatch.setattr("sys.stdin.isatty", lambda: True, raising=False)
            monkeypatch.setattr(click, "confirm", lambda *_, **__: says)
        ask_once(Console(file=shown, width=200), plan, 3, server, yes)
        return shown.getvalue()

    return ask


def test_everything_that_is_started_or_set_is_shown(asked):
    said = asked(planned(env={"LD_PRELOAD": "x.so"}, cwd="sub"), yes=True)
    for part in ("before each run: rm -r cache", "as it was: ./festival 'a b'", "with LD_PRELOAD=x.so", "in /here/sub"):
        assert part in said
    assert oct(agreed_file().stat().st_mode & 0o777) == "0o600"


def test_nobody_to_ask_is_a_no_and_an_answer_is_remembered_for_these_very_lines(asked):
    with pytest.raises(click.UsageError, match="give --yes"):
        asked(planned())
    asked(planned(), yes=True)
    assert asked(planned()) == ""
    for other in (planned("./other"), planned(env={"A": "1"})):
        with pytest.raises(click.UsageError, match="give --yes"):
            asked(other)
    with pytest.raises(click.UsageError, match="give --yes"):
        asked(planned(), server="http://127.0.0.1:2")


def test_a_person_is_asked(asked):
    with pytest.raises(click.UsageError, match="not started"):
        asked(planned(), says=False)
    assert not agreed_file().exists()
    asked(planned(), says=True)
    assert asked(planned()) == ""
