"""The server as a team runs it: the units' own start lines, behind nginx with TLS, with MariaDB and Redis."""

import json
import os
import re
import shlex
import ssl
import subprocess
import time
from dataclasses import replace
from pathlib import Path

import assess
import httpx
import pytest
from tables import with_tables

from vigilant.server.field import receiving
from vigilant.server.launch import children, serve
from vigilant.server.launch.mariadb import MariaDB
from vigilant.server.launch.ports import free_port
from vigilant.server.launch.redis import Redis

from .field_sessions import session

NAME = "bench.lanternfall.example"
MANAGE = """
import django; django.setup()
from django.core.management import call_command
from vigilant.server.books.models import Book, RecorderToken
call_command("migrate", verbosity=0)
book = Book.objects.create(slug="river", name="River")
print(RecorderToken.issue(book, "devices", RecorderToken.Scope.FIELD)[1])
"""


def host_in(folder, **changes):
    certificate, key = serve.own_certificate(folder / "tls", NAME)
    return replace(serve.Host(NAME, str(certificate), str(key), root=folder), **changes)


def test_the_units_and_the_proxys_file_are_what_systemd_and_nginx_take(tmp_path):
    host = host_in(tmp_path, http_port=free_port(), https_port=free_port())
    serve.write(host, serve.new_secrets())
    units = sorted((tmp_path / "etc/systemd/system").glob("vigilant*"))
    assert {"vigilant-web@.service", "vigilant-backup.timer", "vigilant.target"} <= {unit.name for unit in units}
    looked = subprocess.run(["systemd-analyze", "verify", *units], capture_output=True, text=True)
    faults = [line for line in looked.stderr.splitlines() if "vigilant" in line and "redis-server@" not in line]
    assert (looked.returncode, faults) == (0, [])
    assert serve.installed_ports(tmp_path / "etc/systemd/system/vigilant.target") == host.ports
    looked = subprocess.run(["nginx", "-t", "-c", serve.proxy_alone(host, tmp_path)], capture_output=True, text=True)
    assert looked.returncode == 0, looked.stderr


def test_settings_that_are_there_stay_and_secrets_are_their_owners(tmp_path):
    host = host_in(tmp_path)
    serve.write(host, serve.new_secrets())
    settings = tmp_path / serve.SETTINGS
    before = serve.read_settings(settings)
    assert settings.stat().st_mode & 0o077 == 0
    assert (tmp_path / "etc/redis/redis-vigilant.conf").stat().st_mode & 0o077 == 0
    serve.write(host, serve.new_secrets())
    assert serve.read_settings(settings) == before
    assert serve._kept(settings)["redis_password"] in before["VIGILANT_REDIS"]
    settings.write_text("VIGILANT_HOSTS=a\nnot a setting\n")
    with pytest.raises(serve.ServeFailed, match="line 2: NAME=value is wanted"):
        serve.read_settings(settings)


@pytest.mark.parametrize(
    ("code", "user", "said"),
    [
        ("/opt/vigilant", 1000, "root is needed"),
        ("/opt/vigilant", 0, "systemd does not run"),
        ("/home/mira/vl", 0, "move it out of homes"),
    ],
)
def test_what_hinders_an_installation_is_said_before_anything_is_done(code, user, said, capsys, tmp_path, monkeypatch):
    monkeypatch.setattr(serve, "CODE", Path(code))
    monkeypatch.setattr(serve, "SYSTEMD", tmp_path / "none")
    monkeypatch.setattr(serve.os, "geteuid", lambda: user)
    monkeypatch.setattr(serve, "_run", lambda *command, **how: pytest.fail(f"{command} was run"))
    assert serve.main(["install", NAME]) == 2
    assert said in capsys.readouterr().err


def test_a_certificate_without_its_key_is_refused(tmp_path, capsys):
    assert serve.main(["render", NAME, "--to", str(tmp_path), "--certificate", "c.pem"]) == 2
    assert "--certificate and --key go together" in capsys.readouterr().err


class Team:
    """Everything that ``install`` would start, started here by the units' own lines."""

    def __init__(self, folder):
        self.folder = folder
        self.database, self.queue = with_tables(MariaDB(folder / "db")), Redis(folder / "queue")
        self.running = {}

    def start(self):
        self.database.start()
        self.queue.start()
        self.host = host_in(
            self.folder, http_port=free_port(), https_port=free_port(), first_port=free_port(following=1), db_port=self.database.port,
            redis_port=self.queue.port, state=str(self.folder / "state"), run=str(self.folder / "run"),
            backups=str(self.folder / "backups"),
        )  # fmt: skip
        self.secret = {
            "secret_key": "k" * 48,
            "db_password": self.database.password,
            "redis_password": self.queue.password,
        }
        serve.write(self.host, self.secret)
        told = serve.read_settings(self.folder / serve.SETTINGS)
        self.environment = {"PATH": os.environ["PATH"], "DJANGO_SETTINGS_MODULE": "vigilant.server.settings", **told}
        self.key = self.python(MANAGE).split()[-1]
        for unit in self.host.units:
            self.start_unit(unit)
        self.running["nginx"] = children.start(
            ["nginx", "-c", serve.proxy_alone(self.host, self.folder)], self.folder / "nginx.log"
        )
        self.line = httpx.Client(
            base_url=f"https://127.0.0.1:{self.host.https_port}", headers={"Host": NAME}, timeout=30,
            verify=ssl.create_default_context(cafile=self.host.certificate),
        )  # fmt: skip
        serve.waited(lambda: self.answers("/api/ready/"), "the server")

    def start_unit(self, unit):
        name, at, instance = unit.removesuffix(".service").partition("@")
        text = (self.folder / f"etc/systemd/system/{name}{at}.service").read_text()
        line = next(line for line in text.splitlines() if line.startswith("ExecStart=")).removeprefix("ExecStart=")
        command = shlex.split(line.replace("%i", instance).replace("%H", "here"))
        self.running[unit] = children.start(command, self.folder / f"{name}-{instance}.log", self.environment)

    def python(self, code):
        done = subprocess.run(
            [self.host.code / ".venv/bin/python", "-c", code], env=self.environment, capture_output=True, text=True
        )
        assert done.returncode == 0, done.stderr
        return done.stdout

    def get(self, path, **how):
        return self.line.get(path, extensions={"sni_hostname": NAME}, **how)

    def post(self, path, **how):
        return self.line.post(path, extensions={"sni_hostname": NAME}, **how)

    def answers(self, path):
        try:
            return self.get(path).status_code == 200
        except httpx.HTTPError:
            return False

    def written(self, of="*"):
        return "".join(path.read_text() for path in self.folder.glob(f"vigilant-{of}.log"))

    def metrics(self, of=0):
        """As one web process tells them to this machine."""
        return httpx.get(f"http://127.0.0.1:{self.host.ports[of]}/metrics").text

    def stop(self):
        for child in reversed(self.running.values()):
            children.stop(child, 10)
        self.queue.stop()
        self.database.stop()


@pytest.fixture(scope="module")
def team(tmp_path_factory):
    made = Team(tmp_path_factory.mktemp("team"))
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_it_is_asked_by_tls_alone_and_says_so(team):
    plain = httpx.get(f"http://127.0.0.1:{team.host.http_port}/books", headers={"Host": NAME})
    assert (plain.status_code, plain.headers["Location"]) == (301, f"https://{NAME}:{team.host.https_port}/books")
    page = team.get("/", headers={"X-Forwarded-For": "10.9.8.7"})
    assert page.status_code == 200
    assert page.headers["Strict-Transport-Security"] == "max-age=31536000"
    assert "nginx/" not in page.headers.get("Server", "")
    assert team.get("/", headers={"Host": "elsewhere.example"}).status_code == 400
    old = ssl.create_default_context(cafile=team.host.certificate)
    old.maximum_version = ssl.TLSVersion.TLSv1_2
    old.set_ciphers("AES128-SHA")
    with pytest.raises(httpx.ConnectError):
        httpx.Client(verify=old).get(team.line.base_url, extensions={"sni_hostname": NAME})


def test_somebody_new_is_let_in_by_a_link_with_cookies_for_tls_alone(team):
    code = "import django; django.setup()\nfrom django.core.management import call_command\ncall_command('sign_in', 'mira', new=True, administrator=True)"
    link = team.python(code).strip()
    assert link.startswith(f"https://{NAME}/sign-in/")
    path = link.removeprefix(f"https://{NAME}")
    asked = team.get(path)
    token = asked.cookies["__Host-csrftoken"]
    form = {"csrfmiddlewaretoken": token}
    origin = f"https://{NAME}"
    signed = team.post(
        path, data=form, headers={"Referer": origin, "Origin": origin, "Cookie": f"__Host-csrftoken={token}"}
    )
    assert signed.status_code == 302, signed.text
    assert "__Host-sessionid" in signed.headers["Set-Cookie"]
    assert "Secure" in signed.headers["Set-Cookie"]
    assert path.split("/")[-1] not in team.written()
    # Who runs the server, and has no second factor yet, is let in no further.
    assert team.get("/api/books/").json()["code"] == "second-factor-wanted"
    team.line.cookies.clear()


def test_one_request_is_followed_from_who_asks_through_web_and_worker(team):
    headers = {"Authorization": f"Bearer {team.key}", "X-Request-ID": "device-upload-0001"}
    answer = team.post("/api/field/sessions/", json=session(), headers=headers)
    assert (answer.status_code, answer.headers["X-Request-ID"]) == (201, "device-upload-0001")
    ended = f'vigilant_jobs_ended_total{{kind="{receiving.COUNT_IN}",state="done"}} 1.0'
    serve.waited(lambda: ended in team.metrics(), "the worker on the heavy queue")
    for of in ("web-*", "worker-heavy"):
        lines = [json.loads(line) for line in team.written(of).splitlines() if "device-upload-0001" in line]
        assert {line["request_id"] for line in lines} == {"device-upload-0001"}, of
    assert "vigilant_field_waiting 0.0" in team.metrics()


def test_metrics_are_of_all_processes_and_not_for_the_outside(team):
    assert team.get("/metrics").status_code == 403
    for _ in range(8):
        team.get("/api/health/")
    counted = [
        re.findall(r'requests_total{method="GET",status="200",view="api/health/"} (.+)', team.metrics(of))
        for of in (0, 1)
    ]
    assert counted[0] == counted[1]
    assert float(counted[0][0]) >= 8


def test_the_doctor_finds_all_well_and_names_a_queue_that_nobody_works_on(team):
    code = "import django; django.setup()\nfrom django.core.management import call_command\ncall_command('doctor')"
    team.start_unit("vigilant-backup.service")
    assert team.running.pop("vigilant-backup.service").wait(60) == 0
    assert "All is well." in team.python(code)
    children.stop(team.running["vigilant-worker@heavy.service"], 10)
    done = subprocess.run(
        [team.host.code / ".venv/bin/python", "-c", code], env=team.environment, capture_output=True, text=True
    )
    assert done.returncode == 1
    assert "nobody works on the queue heavy" in done.stdout
    team.start_unit("vigilant-worker@heavy.service")


def test_a_web_process_that_is_killed_is_missed_by_nobody(team):
    first = f"vigilant-web@{team.host.ports[0]}.service"
    children.stop(team.running[first], 0.01)
    assert [team.get("/api/ready/").status_code for _ in range(20)] == [200] * 20
    team.start_unit(first)
    until = time.monotonic() + 30
    while time.monotonic() < until and not serve._answers(team.host.ports[0]):
        time.sleep(0.1)
    assert httpx.get(f"http://127.0.0.1:{team.host.ports[0]}/api/health/").status_code == 200


def test_from_outside_nothing_is_let_through_that_should_not_be(team):
    made = "import django; django.setup()\nfrom django.contrib.auth.models import User\nUser.objects.create_user('outside', password='a lantern by the river')"
    team.python(made)
    server = assess.Server(
        NAME, "127.0.0.1", team.host.https_port, team.host.http_port, team.host.certificate, "outside", "a lantern by the river"
    )  # fmt: skip
    found = assess.assess(server)
    faults = [(what, one.said) for what, _, one in found if not one.good]
    assert not faults, "\n".join(map(str, faults))
    assert len(found) == len(assess.LOOKS) > 10


def test_templates_are_part_of_the_package():
    assert {path.name for path in Path(serve.TEMPLATES).iterdir()} == {
        "nginx.conf",
        "redis.conf",
        "mariadb.cnf",
        "server.env",
        "systemd",
        "haproxy.cfg",
        "node-is-synced",
        "tunnel.conf",
        "galera.cnf",
        "sentinel.conf",
    }
