"""What a machine that only records needs: the recorder's requirements, and nothing of the server's."""

import json
import subprocess
import sys
import tomllib
from pathlib import Path

ROOT = Path(__file__).parents[2]
CODE = """
import json, pkgutil, sys
import vigilant.bench, vigilant.cli, vigilant.plan
for package in (vigilant.cli, vigilant.bench, vigilant.plan):
    for found in pkgutil.iter_modules(package.__path__):
        __import__(f"{package.__name__}.{found.name}")
print(json.dumps(sorted({name.partition(".")[0] for name in sys.modules})))
"""


def _named(file):
    return {line.split("=")[0].split(">")[0].strip().lower() for line in (ROOT / file).read_text().split() if line}


def test_the_recorder_imports_nothing_of_the_servers():
    done = subprocess.run([sys.executable, "-c", CODE], capture_output=True, text=True, check=True)
    loaded = set(json.loads(done.stdout))
    servers = {"django", "rest_framework", "MySQLdb", "celery", "redis", "uvicorn", "whitenoise", "drf_spectacular"}
    assert not loaded & servers
    assert {"pydantic", "httpx", "numpy"} <= loaded


def test_requirements_are_apart_and_the_recorders_are_locked():
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["setuptools"]["dynamic"]
    assert project["dependencies"]["file"] == ["requirements/recorder.in"]
    assert project["optional-dependencies"]["server"]["file"] == ["requirements/server.in"]
    locked = {
        line.partition("==")[0]
        for line in (ROOT / "requirements/recorder.txt").read_text().splitlines()
        if "==" in line
    }
    assert _named("requirements/recorder.in") <= locked
    assert not locked & {"django", "mysqlclient", "celery", "redis"}
