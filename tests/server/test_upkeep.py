"""What whoever runs the server is told: settings, readiness, metrics, logs that follow a request, and the doctor."""

import io
import json
import logging
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
import structlog
from django.conf import settings
from django.core.management import call_command
from django.db.migrations.recorder import MigrationRecorder
from prometheus_client.parser import text_string_to_metric_families

from vigilant.server import configuration
from vigilant.server.books.models import Book
from vigilant.server.field import receiving
from vigilant.server.jobs import services as jobs
from vigilant.server.jobs.models import Job
from vigilant.server.upkeep import checks, kept, logs

DOCS = Path(__file__).parents[2] / "docs"
SECRET = "s" * 40


def told(monkeypatch, **values):
    for name, value in values.items():
        monkeypatch.setenv(configuration.PREFIX + name, value)
    return configuration.read()


def test_settings_are_read_from_the_environment(monkeypatch):
    found = told(
        monkeypatch, HOSTS="bench.example, 10.0.0.4", DB_PORT="3307", DB_WAIT="1", VAR="/srv/vl", SECRET_KEY="x", LOG=""
    )
    assert found.hosts == ["bench.example", "10.0.0.4"]
    assert (found.db_port, found.db_wait, found.log) == (3307, True, "lines")  # an empty value says nothing
    assert found.signing_key == Path("/srv/vl/signing-key")


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ({"DB_PORT": "many"}, "VIGILANT_DB_PORT: input should be a valid integer"),
        ({"DB_PORT": "70000"}, "VIGILANT_DB_PORT: input should be less than or equal to 65535, got '70000'"),
        ({"LOG": "paper"}, "VIGILANT_LOG: input should be 'lines' or 'json', got 'paper'"),
        ({"PRODUCTION": "1", "REDIS": "redis://127.0.0.1", "SECRET_KEY": "short"}, "32 characters or more; got 5"),
        ({"PRODUCTION": "1", "REDIS": "", "SECRET_KEY": SECRET}, "VIGILANT_REDIS must name the queue in production"),
        ({"REDIS": "localhost:6379"}, "VIGILANT_REDIS: redis://HOST:PORT/0 is wanted, or sentinel://HOST:PORT"),
        ({"REDIS": "sentinel://:short@10.0.0.1:many"}, "VIGILANT_REDIS: redis://HOST:PORT/0 is wanted"),
        ({"REDIS": "redis://10.0.0.1;redis://:short@10.0.0.2"}, "several addresses are those of sentinels"),
    ],
)
def test_a_setting_that_cannot_be_is_refused_by_its_name_and_no_secret_is_shown(monkeypatch, values, said):
    with pytest.raises(configuration.ConfigurationRefused) as refused:
        told(monkeypatch, **values)
    assert said in str(refused.value)
    assert "short" not in str(refused.value)


def test_every_fault_of_the_settings_is_said_at_once_when_a_process_starts():
    environment = {"PATH": "/usr/bin:/bin", "VIGILANT_DB_PORT": "x", "VIGILANT_THREADS": "0"}
    code = "import vigilant.server.settings"
    ended = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True)
    assert ended.returncode == 1
    assert "VIGILANT_DB_PORT: " in ended.stderr
    assert "VIGILANT_THREADS: " in ended.stderr


def test_the_documented_settings_are_those_there_are():
    assert configuration.document() == (DOCS / "settings.md").read_text()


def test_health_asks_nothing_and_readiness_says_what_lacks(client, db, monkeypatch):
    assert client.get("/api/health/").json() == {"status": "alive"}
    assert client.get("/api/ready/").json() == {"status": "ready"}
    recorder = MigrationRecorder.Migration.objects
    recorder.filter(app="field", name="0003_over_weeks").delete()
    answer = client.get("/api/ready/")
    assert (answer.status_code, answer.json()["lacks"]) == (503, ["tables"])
    monkeypatch.setattr(settings, "REDIS", "redis://127.0.0.1:9/0")
    assert client.get("/api/ready/").json()["lacks"] == ["tables", "queue"]


def test_the_doctor_says_what_is_wrong_and_how_to_mend_it(db, monkeypatch, tmp_path, settings):
    key = tmp_path / "signing-key"
    key.write_text("secret")
    key.chmod(0o644)
    settings.SIGNING_KEY = str(key)
    settings.ALLOWED_HOSTS = ["*"]
    monkeypatch.setenv("VIGILANT_REDSI", "redis://here")
    out = io.StringIO()
    with pytest.raises(SystemExit) as ended:
        call_command("doctor", stdout=out)
    said = out.getvalue()
    assert ended.value.code == 1
    for line in (
        "VIGILANT_REDSI: nothing reads this",
        f"chmod 600 {key}",
        "with * anybody's name",
        "3 of 10 are wrong",
    ):
        assert line in said
    assert "secret" not in said.replace("VIGILANT_SECRET", "")


def test_the_doctor_is_content_where_all_is_well(db, settings, tmp_path):
    settings.SIGNING_KEY, settings.VAR, settings.WEB = str(tmp_path / "none"), tmp_path, tmp_path
    (tmp_path / "index.html").write_text("built")
    out = io.StringIO()
    call_command("doctor", stdout=out)
    assert out.getvalue().endswith("All is well.\n")


def families(client, **headers):
    answer = client.get("/metrics", headers=headers)
    assert answer.status_code == 200, answer.content
    return {family.name: family for family in text_string_to_metric_families(answer.content.decode())}


def value(found, name, **labels):
    return next((s.value for f in found.values() for s in f.samples if s.name == name and s.labels == labels), 0.0)


def test_metrics_count_requests_by_view_and_jobs_by_kind(client, db, monkeypatch):
    book = Book.objects.create(slug="river", name="River")
    asked = {"view": "api/health/", "method": "GET", "status": "200"}
    ended = {"kind": receiving.COUNT_IN, "state": "done"}
    before = families(client)
    client.get("/api/health/")
    receiving.ask_to_count(book.pk)
    Job.objects.create(kind="waits", subject="1", active="waits 1", book=book)
    after = families(client)
    assert value(after, "vigilant_requests_total", **asked) == value(before, "vigilant_requests_total", **asked) + 1
    assert value(after, "vigilant_jobs_ended_total", **ended) == value(before, "vigilant_jobs_ended_total", **ended) + 1
    assert value(after, "vigilant_jobs_active", kind="waits", state="waiting") == 1
    assert value(after, "vigilant_database_up") == 1
    documented = (DOCS / "operating.md").read_text()
    assert [name for name in after if name.startswith("vigilant_") and f"`{name}" not in documented] == []


def test_metrics_are_for_this_machine_or_for_who_has_the_token(client, db, settings):
    assert client.get("/metrics", headers={"X-Forwarded-For": "10.0.0.9"}).status_code == 403
    assert client.get("/metrics", REMOTE_ADDR="10.0.0.9").status_code == 403
    settings.METRICS_TOKEN = "of the monitor"
    assert client.get("/metrics").status_code == 403
    assert client.get("/metrics", headers={"Authorization": "Bearer of the monitor"}).status_code == 200


def test_an_answer_says_the_id_of_its_request_and_takes_over_one_that_is_fit(client):
    given = client.get("/api/health/", headers={"X-Request-ID": "recorder-17-a"})
    assert given["X-Request-ID"] == "recorder-17-a"
    for bad in ("x", "a b c d e f g h", "a" * 65, "line\nbreak-line"):
        made = client.get("/api/health/", headers={"X-Request-ID": bad})["X-Request-ID"]
        assert made != bad
        assert len(made) == 36


@pytest.mark.parametrize(
    ("path", "written"),
    [
        ("/sign-in/VGhpc0lzQVNlY3JldDEyMzQ", "/sign-in/…"),
        ("/shown/aaaabbbbccccddddeeeeff11", "/shown/…"),
        ("/visit/k7-short", "/visit/…"),
        ("/visit/", "/visit/"),
        ("/api/runs/0b4f3a52-8f0e-4f6e-9a0e-111213141516/", "/api/runs/0b4f3a52-8f0e-4f6e-9a0e-111213141516/"),
        ("/api/books/lanternfall-on-the-river/entries/", "/api/books/lanternfall-on-the-river/entries/"),
        ("/assets/index-Dk3xV9aa.js", "/assets/index-Dk3xV9aa.js"),
    ],
)
def test_a_links_secret_is_not_written(path, written):
    assert logs.without_secrets(path) == written


def written_as(form, level="INFO"):
    """A logger of its own that writes as the server would, and what it wrote."""
    made, stream = logs.configuration(form, level), io.StringIO()
    handler = logging.StreamHandler(stream)
    told = dict(made["formatters"]["told"])
    handler.setFormatter(told.pop("()")(**told))
    own = logging.getLogger(f"test.{form}")
    own.handlers, own.propagate = [handler], False
    own.setLevel(level)
    return own, stream


def test_a_line_of_json_carries_the_id_and_the_fault():
    own, stream = written_as("json")
    with structlog.contextvars.bound_contextvars(request_id="abc-12345"):
        own.warning("the %s is away", "queue")
        try:
            raise ValueError("broken")
        except ValueError:
            own.exception("it failed")
    first, second = (json.loads(line) for line in stream.getvalue().splitlines())
    assert (first["event"], first["request_id"], first["level"]) == ("the queue is away", "abc-12345", "warning")
    assert "ValueError: broken" in second["exception"]


def test_long_work_and_work_that_somebody_waits_for_have_queues_of_their_own(db, monkeypatch, settings):
    settings.JOBS_INLINE = False
    sent = []
    monkeypatch.setattr("vigilant.server.jobs.tasks.work_on.apply_async", lambda args, queue: sent.append(queue))
    book = Book.objects.create(slug="river", name="River")
    for kind in ("close a run", receiving.COUNT_IN):
        job = jobs.Job.objects.create(kind=kind, subject="1", active=kind, book=book)
        jobs.publish(job.pk, kind)
    assert sent == ["quick", "heavy"]


@pytest.mark.parametrize(
    ("hours", "said", "good"),
    [(3, "the newest 3 h old", True), (72, "the newest 72 h old", False), (None, "none yet", False)],
)
def test_the_doctor_knows_how_old_the_newest_backup_is(tmp_path, settings, hours, said, good):
    settings.BACKUPS = tmp_path
    if hours is not None:
        made = datetime.now(UTC) - timedelta(hours=hours)
        kept.Folder(tmp_path).put_list(made.strftime(kept.NAMED), b"{}")
    found = checks.backups()
    assert said in found.said
    assert found.good is good
    settings.BACKUPS, settings.PRODUCTION = None, True
    assert not checks.backups().good
