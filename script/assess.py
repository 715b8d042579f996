"""``script/assess NAME``: what a server lets through, asked from outside, each with the requirements of OWASP ASVS 4.0.3 that it shows.

Knows nothing of the server but its name, its OpenAPI schema and, with ``--account``, one account's password (``VIGILANT_ASSESS_PASSWORD``).
It signs in wrongly under a made-up name until that is shut; nothing else is changed.
"""

from __future__ import annotations

import argparse
import os
import re
import secrets
import socket
import ssl
import sys
import uuid
import warnings
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any, NamedTuple

import httpx
from rich.console import Console
from rich.table import Table

YEAR_S = 365 * 24 * 3600
#: A certificate that is good for less is to be renewed.
LEAST_DAYS = 14
#: Wrong tries under one name after which a server must not go on answering them.
MOST_TRIES = 12
MOST_BYTES = 9 << 20
#: What may be asked by whoever comes: how to sign in, and whether the server lives.
OPEN = {
    ("GET", "/api/health/"), ("GET", "/api/ready/"), ("GET", "/api/session/ways/"), ("POST", "/api/session/sign-in/"),
}  # fmt: skip
ELSEWHERE = "https://elsewhere.example"
WRITES = ("post", "put", "patch", "delete")
#: Lets old versions be tried at all.
WEAK = "ALL:@SECLEVEL=0"
#: Without forward secrecy, without anybody's proof of who they are, without a cipher, or with small blocks.
OLD_CIPHERS = "kRSA:aNULL:eNULL:3DES:@SECLEVEL=0"


class Unreachable(Exception):
    """The server cannot be asked at all."""


class Found(NamedTuple):
    """What one look came to; ``good`` is None where it could not be taken."""

    good: bool | None
    said: str


@dataclass
class Server:
    """Where it is, and how it is asked."""

    name: str
    at: str
    port: int
    plain_port: int
    trust: str | None = None
    account: str | None = None
    password: str = ""

    def __post_init__(self) -> None:
        self.line = self.client()

    @property
    def origin(self) -> str:
        return f"https://{self.name}" + ("" if self.port == 443 else f":{self.port}")

    def client(self) -> httpx.Client:
        """A new client, without cookies."""
        context = ssl.create_default_context(cafile=self.trust)
        return httpx.Client(base_url=f"https://{self.at}:{self.port}", verify=context, timeout=30)

    def ask(self, method: str, path: str, line: httpx.Client | None = None, **how: Any) -> httpx.Response:
        headers = {"Host": self.origin.removeprefix("https://"), "Accept": "*/*", **how.pop("headers", {})}
        return (line or self.line).request(method, path, headers=headers, extensions={"sni_hostname": self.name}, **how)

    def handshake(self, context: ssl.SSLContext) -> ssl.SSLSocket:
        """Raises OSError, ``ssl.SSLError`` among them."""
        context.check_hostname = context.check_hostname and context.verify_mode == ssl.CERT_REQUIRED
        raw = socket.create_connection((self.at, self.port), timeout=10)
        try:
            return context.wrap_socket(raw, server_hostname=self.name)
        except OSError:
            raw.close()
            raise


Look = Callable[[Server], Found]
LOOKS: list[tuple[str, str, Look]] = []


def look(what: str, shows: str) -> Callable[[Look], Look]:
    def kept(one: Look) -> Look:
        LOOKS.append((what, shows, one))
        return one

    return kept


def _all(faults: Iterator[str], good: str) -> Found:
    said = list(faults)
    return Found(
        not said, "; ".join(said[:3]) + (f"; and {len(said) - 3} more" if len(said) > 3 else "") if said else good
    )


# -- TLS


def _speaks(server: Server, version: ssl.TLSVersion, ciphers: str | None = None) -> bool:
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    context.set_ciphers(ciphers or WEAK)
    with warnings.catch_warnings():  # that they are old is what is looked for
        warnings.simplefilter("ignore", DeprecationWarning)
        context.minimum_version = context.maximum_version = version
    try:
        server.handshake(context).close()
    except OSError:
        return False
    return True


@look("versions of TLS", "9.1.2, 9.1.3")
def versions(server: Server) -> Found:
    spoken = {version.name: _speaks(server, version) for version in ssl.TLSVersion if version > ssl.TLSVersion.SSLv3}
    old = [name for name in ("TLSv1", "TLSv1_1") if spoken[name]]
    if old:
        return Found(False, f"{', '.join(old)} is spoken")
    new = [name for name in ("TLSv1_2", "TLSv1_3") if spoken[name]]
    return Found(bool(new), f"{' and '.join(new) or 'none'} alone")


@look("ciphers", "9.1.2, 6.2.5")
def ciphers(server: Server) -> Found:
    weak = _speaks(server, ssl.TLSVersion.TLSv1_2, OLD_CIPHERS)
    return Found(
        not weak, "one that keeps no secret, or not for later, is taken" if weak else "with forward secrecy alone"
    )


@look("certificate", "9.1.1, 9.2.1")
def certificate(server: Server) -> Found:
    try:
        with server.handshake(ssl.create_default_context(cafile=server.trust)) as line:
            told = line.getpeercert() or {}
    except ssl.SSLError as error:
        return Found(False, f"not to be believed: {error.reason or error}")
    ends = datetime.fromtimestamp(ssl.cert_time_to_seconds(str(told["notAfter"])), UTC)
    left = ends - datetime.now(UTC)
    return Found(left >= timedelta(days=LEAST_DAYS), f"of {server.name}, good for {left.days} days more")


@look("without TLS", "9.1.1, 14.4.5")
def without_tls(server: Server) -> Found:
    try:
        answer = httpx.get(
            f"http://{server.at}:{server.plain_port}/api/session/", headers={"Host": server.name}, timeout=10
        )
    except httpx.HTTPError:
        return Found(True, "nobody answers")
    to = answer.headers.get("Location", "")
    if not (answer.is_redirect and to.startswith("https://")):
        return Found(False, f"answered {answer.status_code}, not led to TLS")
    return Found(
        "set-cookie" not in answer.headers, "led to TLS" + (", with a cookie" if "set-cookie" in answer.headers else "")
    )


# -- headers


#: One of each sort: a page, a file of it, the API, what is not there, what is refused.
SORTS = ("/", "/sign-in", "/api/session/", "/api/health/", "/api/none/", "/none", "/admin/")


def _pages(server: Server) -> Iterator[tuple[str, httpx.Response]]:
    for path in SORTS:
        yield path, server.ask("GET", path)
    script = re.search(r'src="(/[^"]+\.js)"', server.ask("GET", "/").text)
    if script:
        yield script.group(1), server.ask("GET", script.group(1))


def _policy(answer: httpx.Response) -> dict[str, list[str]]:
    parts = [part.split() for part in answer.headers.get("Content-Security-Policy", "").split(";") if part.strip()]
    return {part[0].lower(): part[1:] for part in parts}


def _of_headers(answer: httpx.Response) -> Iterator[str]:
    has = answer.headers
    age = re.search(r"max-age=(\d+)", has.get("Strict-Transport-Security", ""))
    if not age or int(age.group(1)) < YEAR_S:
        yield "no Strict-Transport-Security for a year"
    if has.get("X-Content-Type-Options") != "nosniff":
        yield "no X-Content-Type-Options"
    if has.get("Referrer-Policy") not in (
        "no-referrer",
        "same-origin",
        "strict-origin",
        "strict-origin-when-cross-origin",
    ):
        yield "no Referrer-Policy that keeps addresses"
    kind = has.get("Content-Type", "")
    if answer.content and not kind:
        yield "no Content-Type"
    if kind.startswith("text/") and "charset=" not in kind:
        yield "text without its charset"
    if re.search(r"\d", has.get("Server", "")) or "X-Powered-By" in has:
        yield "the server's version is told"


@look("headers of every answer", "14.4.1, 14.4.4, 14.4.5, 14.4.6, 14.3.3")
def headers(server: Server) -> Found:
    return _all((f"{path}: {fault}" for path, answer in _pages(server) for fault in _of_headers(answer)), "all there")


def _of_policy(policy: dict[str, list[str]]) -> Iterator[str]:
    scripts = policy.get("script-src", policy.get("default-src"))
    if scripts is None or {"'unsafe-inline'", "'unsafe-eval'", "*", "https:", "data:"} & set(scripts):
        yield "scripts from anywhere, or within the page"
    for name in ("object-src", "frame-ancestors"):
        if policy.get(name) != ["'none'"]:
            yield f"{name} is not none"
    for name in ("base-uri", "form-action"):
        if policy.get(name) not in (["'none'"], ["'self'"]):
            yield f"{name} is open"


@look("what a page may run, and where it is shown", "14.4.3, 14.4.7, 5.3.3")
def policy(server: Server) -> Found:
    pages = ((path, answer) for path, answer in _pages(server) if "html" in answer.headers.get("Content-Type", ""))
    return _all(
        (f"{path}: {fault}" for path, answer in pages for fault in _of_policy(_policy(answer))),
        "its own scripts, shown in no frame",
    )


@look("what caches keep", "8.1.1, 8.2.1")
def caches(server: Server) -> Found:
    def faults() -> Iterator[str]:
        for path in ("/", "/api/session/"):
            told = server.ask("GET", path).headers.get("Cache-Control", "")
            if "no-store" not in told:
                yield f"{path}: no-store is not said"

    return _all(faults(), "neither pages nor answers")


@look("other origins", "14.5.3, 13.2.3")
def origins(server: Server) -> Found:
    def faults() -> Iterator[str]:
        for origin in (ELSEWHERE, "null"):
            for path in ("/api/session/", "/api/books/"):
                for method in ("GET", "OPTIONS"):
                    sent = {"Origin": origin, "Access-Control-Request-Method": "POST"}
                    told = server.ask(method, path, headers=sent).headers
                    if "Access-Control-Allow-Origin" in told or "Access-Control-Allow-Credentials" in told:
                        yield f"{method} {path} lets {origin} in"

    return _all(faults(), "are answered nothing that they may read")


@look("another name, another method", "14.5.1, 14.5.2, 13.2.1")
def names_and_methods(server: Server) -> Found:
    def faults() -> Iterator[str]:
        if server.ask("GET", "/api/health/", headers={"Host": "elsewhere.example"}).status_code < 400:
            yield "it answers to another name"
        led = server.ask("GET", "/api/none", headers={"X-Forwarded-Host": "elsewhere.example"})
        if "elsewhere.example" in led.headers.get("Location", "") + led.text:
            yield "X-Forwarded-Host is believed"
        for method in ("TRACE", "TRACK", "MOVE"):
            if server.ask(method, "/api/health/").status_code < 400:
                yield f"{method} is answered"

    return _all(faults(), "are refused")


# -- who comes without signing in


def _addresses(server: Server) -> Iterator[tuple[str, str]]:
    told = server.ask("GET", "/api/schema/?format=json").raise_for_status().json()
    for path, methods in told["paths"].items():
        filled = re.sub(r"{(\w*id)}", str(uuid.UUID(int=0)), path)
        yield from ((method.upper(), re.sub(r"{\w+}", "0", filled)) for method in methods if method in ("get", *WRITES))


@look("every address of the API, without signing in", "4.1.1, 4.1.3, 4.1.5, 13.1.4")
def addresses(server: Server) -> Found:
    try:
        asked = [one for one in _addresses(server) if one not in OPEN]
    except (httpx.HTTPError, ValueError, KeyError):
        return Found(None, "the schema cannot be read")

    def faults() -> Iterator[str]:
        for method, path in asked:
            body = {} if method == "GET" else {"json": {}}
            status = server.ask(method, path, **body).status_code
            if status not in (401, 403, 404):
                yield f"{method} {path} is answered {status}"

    return _all(faults(), f"{len(asked)} are shut")


#: What lies on hosts beside programs, or tells how one works.
BESIDE = (
    "/.git/config", "/.git/HEAD", "/.env", "/server.env", "/static/../server.env", "/static/%2e%2e/%2e%2e/etc/passwd", "/assets/", "/static/",
    "/metrics", "/api/schema/swagger-ui/", "/__debug__/", "/backup.sql", "/manage.py",
)  # fmt: skip
SECRETS = re.compile(r"\[core\]|root:|SECRET|PASSWORD|Index of|# HELP|DEBUG = True|INSERT INTO")


@look("what lies beside the program", "14.3.2, 12.5.1, 4.3.2, 7.1.1")
def beside(server: Server) -> Found:
    def faults() -> Iterator[str]:
        for path in BESIDE:
            answer = server.ask("GET", path)
            if SECRETS.search(answer.text):
                yield f"{path} is shown"

    return _all(faults(), "is not shown")


@look("faults in what is sent", "5.1.3, 7.4.1, 13.2.2, 14.3.1, 12.1.1")
def hostile(server: Server) -> Found:
    sent: list[tuple[str, dict[str, Any]]] = [
        ("broken JSON", {"content": b'{"name": ', "headers": {"Content-Type": "application/json"}}),
        ("a thousand levels", {"content": b"[" * 1000 + b"]" * 1000, "headers": {"Content-Type": "application/json"}}),
        ("bad bytes", {"content": b'{"name": "\xff\xfe"}', "headers": {"Content-Type": "application/json"}}),
        ("XML", {"content": b"<a/>", "headers": {"Content-Type": "application/xml"}}),
        ("a form", {"data": {"name": "a"}}),
        ("a list for text", {"json": {"username": ["a"], "password": {}}}),
        ("too much", {"content": b" " * MOST_BYTES, "headers": {"Content-Type": "application/json"}}),
    ]

    def faults() -> Iterator[str]:
        for what, how in sent:
            try:
                answer = server.ask("POST", "/api/session/sign-in/", **how)
            except httpx.HTTPError:
                continue  # the line was cut, which is an answer
            if not 400 <= answer.status_code < 500:
                yield f"{what} is answered {answer.status_code}"
            if re.search(r"Traceback|File \"|line \d+, in|\.py\b|SELECT ", answer.text):
                yield f"{what} is answered with the program's inside"

    return _all(faults(), "are refused, each with 4xx and no word of the inside")


@look("being led elsewhere", "5.1.5")
def led_elsewhere(server: Server) -> Found:
    def faults() -> Iterator[str]:
        for path in (
            "/%2f%2felsewhere.example",
            "//elsewhere.example/%2f..",
            "/admin/login/?next=//elsewhere.example",
            "/sign-on/?next=//elsewhere.example",
        ):
            to = server.ask("GET", path).headers.get("Location", "")
            if re.match(r"(https?:)?//elsewhere\.example", to):
                yield f"{path} leads there"

    return _all(faults(), "does not happen")


@look("guessing a password", "2.2.1, 11.1.4")
def guessing(server: Server) -> Found:
    name, seen = f"nobody-{secrets.token_hex(4)}", []
    for _ in range(MOST_TRIES):
        answer = server.ask("POST", "/api/session/sign-in/", json={"username": name, "password": secrets.token_hex(8)})
        seen.append(answer.status_code)
        if answer.status_code == 429:
            return Found(True, f"is shut after {len(seen)} tries")
        if answer.is_success:
            return Found(False, "a made-up name is let in")
    return Found(False, f"goes on after {len(seen)} tries")


# -- with an account


@look("cookies and what ends a session", "3.2.1, 3.3.1, 3.4.1 to 3.4.5, 3.7.1, 4.2.2")
def session(server: Server) -> Found:
    if not server.account:
        return Found(None, "no --account was named")
    with server.client() as line:
        given = {"username": server.account, "password": server.password}
        made_up = {"Cookie": f"__Host-sessionid={'a' * 32}"}
        answer = server.ask("POST", "/api/session/sign-in/", line, json=given, headers=made_up)
        if not answer.is_success:
            return Found(None, f"the account was not let in: {answer.status_code}")
        cookies = SimpleCookie()
        for one in answer.headers.get_list("set-cookie"):
            cookies.load(one)
        return _all(_of_session(server, line, cookies), f"{len(cookies)} cookies for TLS alone; ends when it is ended")


def _of_session(server: Server, line: httpx.Client, cookies: SimpleCookie) -> Iterator[str]:
    for name, one in cookies.items():
        if not one["secure"] or not one["samesite"] or one["samesite"].lower() == "none":
            yield f"{name} is not Secure, or goes to other sites"
        if not name.startswith("__Host-") or one["path"] != "/" or one["domain"]:
            yield f"{name} is not bound to this host"
    held = next((one for name, one in cookies.items() if "session" in name), None)
    if held is None:
        yield "no session was set"
        return
    if not held["httponly"]:
        yield "scripts can read the session"
    if held.value == "a" * 32 or len(held.value) < 22:
        yield "the session's key was brought along, or is short"
    sent = {"Cookie": "; ".join(f"{name}={one.value}" for name, one in cookies.items())}
    token = next((one.value for name, one in cookies.items() if "csrf" in name), "")
    for what, more in (
        ("without its token", {"Referer": server.origin}),
        ("from elsewhere", {"X-CSRFToken": token, "Origin": ELSEWHERE, "Referer": ELSEWHERE}),
    ):
        if (
            server.ask("POST", "/api/books/", line, json={"slug": "", "name": ""}, headers={**sent, **more}).status_code
            != 403
        ):
            yield f"a change {what} is taken"
    if server.ask("GET", "/api/session/", line, headers=sent).status_code != 200:
        yield "the session is not known"
    own = {**sent, "X-CSRFToken": token, "Origin": server.origin, "Referer": f"{server.origin}/"}
    server.ask("DELETE", "/api/session/", line, headers=own)
    if server.ask("GET", "/api/session/", server.client(), headers=sent).status_code not in (401, 403):
        yield "the session goes on after it was ended"


def assess(server: Server) -> list[tuple[str, str, Found]]:
    """Every look, in order. Raises :class:`Unreachable`."""
    try:
        socket.create_connection((server.at, server.port), timeout=10).close()
    except OSError as error:
        raise Unreachable(f"{server.at}:{server.port} does not answer: {error}") from None
    found = []
    for what, shows, one in LOOKS:
        try:
            found.append((what, shows, one(server)))
        except (httpx.HTTPError, ssl.SSLError) as error:
            found.append((what, shows, Found(None, f"could not be asked: {error}")))
    return found


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="script/assess", description="What a server lets through, asked from outside."
    )
    parser.add_argument("name", help="by which people ask")
    parser.add_argument("--at", help="address to connect to (default: the name)")
    parser.add_argument("--port", type=int, default=443, help="of TLS")
    parser.add_argument("--plain-port", type=int, default=80, help="without TLS")
    parser.add_argument("--trust", help="file of the certificate that vouches for the server's")
    parser.add_argument("--account", help="to sign in with; its password is in VIGILANT_ASSESS_PASSWORD")
    told = parser.parse_args()
    if told.trust and not Path(told.trust).is_file():
        parser.error(f"--trust: {told.trust} is no file")
    password = os.environ.get("VIGILANT_ASSESS_PASSWORD", "")
    server = Server(told.name, told.at or told.name, told.port, told.plain_port, told.trust, told.account, password)
    try:
        found = assess(server)
    except Unreachable as error:
        print(f"assess: {error}", file=sys.stderr)
        return 2
    table = Table("", "asked", "found", "ASVS 4.0.3")
    for what, shows, one in found:
        table.add_row({True: "good", False: "BAD", None: "?"}[one.good], what, one.said, shows)
    say = Console(width=None if sys.stdout.isatty() else 150, highlight=False)
    say.print(table)
    bad, unknown = (sum(one.good is state for _, _, one in found) for state in (False, None))
    say.print(f"{len(found)} asked, {bad} bad, {unknown} not to be told")
    return 1 if bad or unknown else 0


if __name__ == "__main__":
    sys.exit(main())
